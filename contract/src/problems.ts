/** Every error the API answers with: its HTTP status and a sentence. Some carry facts beside it. */
export const problems = {
  BAD_REQUEST: { status: 400, text: 'The request does not have the form this address expects.' },
  BAD_PATTERN: { status: 400, text: 'That is no sender pattern.' },
  NEEDS_REASON: {
    status: 400,
    text: 'This entry lets in mail of many unrelated senders or of our own domain: say why.',
  },
  BLOCKS_OWN_DOMAIN: {
    status: 400,
    text: 'This would keep back the organisation’s own mail. Block a single address, or leave it: mail that only claims to be ours is held by authentication.',
  },
  NOTHING_TO_DO: {
    status: 400,
    text: 'The sentence leaves the message, the sender and what is known as they are: nothing to apply.',
  },
  NO_SENDER: {
    status: 400,
    text: 'Not every marked message has a sender at this width; choose another width or fewer messages.',
  },
  BAD_SET_UP: { status: 400, text: 'Some lines can’t be read; nothing was set up.' },
  NO_MESSAGE: {
    status: 400,
    text: 'That can’t be read as a message. Hand in the message itself, saved as .eml.',
  },
  UNTIL_PASSED: { status: 400, text: 'That date has passed; choose one in the future.' },
  SIGN_IN_FIRST: { status: 401, text: 'Sign in first.' },
  SIGN_IN_FAILED: { status: 401, text: 'Name and password do not belong together.' },
  OWN_SIGN_IN_FAILED: {
    status: 401,
    text: 'That does not open this mailbox. A code counts for ten minutes and once; you can have a new one sent.',
  },
  CSRF: { status: 403, text: 'The request lacks the token of your session. Reload the page and try again.' },
  OBSERVER: {
    status: 403,
    text: 'You are signed in as an observer: you can read everything here, but not change it.',
  },
  SAY_WHY: {
    status: 403,
    text: 'This message is in a colleague’s mailbox, not held back. Say why you open it; the record keeps it.',
  },
  NEEDS_STEWARD: {
    status: 403,
    text: 'Entries for all colleagues are made by a steward. Choose one colleague, or ask a steward.',
  },
  NOT_FOUND: { status: 404, text: 'There is nothing at this address.' },
  DELIVERY_NOT_FOUND: { status: 404, text: 'This delivery does not exist, or no longer.' },
  MAILBOX_NOT_FOUND: { status: 404, text: 'No mailbox has this number.' },
  MAIL_RULE_NOT_FOUND: { status: 404, text: 'This mail rule does not exist.' },
  ENTRY_NOT_FOUND: { status: 404, text: 'This sender entry does not exist.' },
  ENQUIRY_NOT_FOUND: { status: 404, text: 'This enquiry does not exist.' },
  FINDING_NOT_FOUND: {
    status: 404,
    text: 'This finding is no longer there: its entries have changed, or the lists were looked over again.',
  },
  REQUEST_NOT_FOUND: { status: 404, text: 'This request does not exist.' },
  DIGEST_NOT_FOUND: { status: 404, text: 'This digest does not exist.' },
  IMPORT_NOT_FOUND: { status: 404, text: 'This import does not exist.' },
  RULING_NOT_FOUND: { status: 404, text: 'This ruling does not exist.' },
  SOURCE_GONE: { status: 410, text: 'The message itself has gone away; only its headers are kept.' },
  ALREADY_SET_UP: { status: 409, text: 'This installation has been set up already; sign in.' },
  SEALED: { status: 409, text: 'This message is sealed because of harmful content. Nobody can release it.' },
  ALREADY_RULED: { status: 409, text: 'Somebody was first.' },
  WRONG_STATE: { status: 409, text: 'The message is no longer where this ruling expects it.' },
  ALREADY_UNDONE: { status: 409, text: 'This ruling has been undone already.' },
  LATER_RULING: { status: 409, text: 'A later ruling builds on this one; undo that one first.' },
  ENTRY_CHANGED: { status: 409, text: 'Somebody changed this entry before you.' },
  NOT_TIDY: {
    status: 409,
    text: 'Mail that came in meanwhile makes a difference to some of these. Nothing was changed; look at them one by one.',
  },
  ALREADY_ASKED: { status: 409, text: 'The stewards have this request already.' },
  ALREADY_ANSWERED: { status: 409, text: 'This request has been answered already.' },
  IMPORT_NOT_READY: { status: 409, text: 'This list is still being read, or has been taken already.' },
  NO_UNSUBSCRIBE: {
    status: 409,
    text: 'This message offers no way out that may be used by itself: it names none, or nothing proves who sent it.',
  },
  DIGEST_GONE: { status: 409, text: 'The digest with this line has gone out already.' },
  TOO_MANY_RULES: {
    status: 409,
    text: 'This mailbox has 500 mail rules, and more would slow its mail down. Rules that only block a sender do better as entries of the sender list.',
  },
  NOTHING_TO_SEND: {
    status: 409,
    text: 'Nothing is kept back for this mailbox since its last digest, so there is nothing to send.',
  },
  DIGEST_RUNNING: { status: 409, text: 'A digest for this mailbox has just been sent by somebody else.' },
  TOO_LARGE: {
    status: 413,
    text: 'This is too large: at most 10 MB for a list or a message, and 300 kB for anything else. A list of 50,000 entries has about 2 MB.',
  },
  TOO_MANY_TRIES: { status: 429, text: 'Too many tries to sign in. Wait a minute and try again.' },
  UNSUBSCRIBE_FAILED: {
    status: 502,
    text: 'The sender’s server did not take the request to unsubscribe. Nothing was changed; block the sender instead.',
  },
  DATABASE_AWAY: {
    status: 503,
    text: 'The database does not answer. Nothing was changed; trying again in a moment will do.',
  },
  INTERNAL: {
    status: 500,
    text: 'Something went wrong on our side. Nothing was changed; it has been written to the log.',
  },
} as const

export type ProblemCode = keyof typeof problems
