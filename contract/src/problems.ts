/**
 * Every error the API answers with: its HTTP status and a sentence, with blanks for its facts in i18next form.
 * `when` holds the sentence for a special case, named by the fact `context`. Words of the sentence itself come from
 * here and the wording files only; the server fills in the blanks. Two facts are codes with words of their own:
 * `state` (`state.*`) and `problem` (`pattern.*`).
 */
export const problems = {
  BAD_REQUEST: {
    status: 400,
    text: 'Pendro could not read this request. Reload the page and try again.',
    when: { fields: 'Pendro could not use this request. In the {{where}}: {{what}}.' },
  },
  BAD_PATTERN: { status: 400, text: '{{problem}}' },
  BAD_CURSOR: {
    status: 400,
    text: 'This place in the list is not one that Pendro gave out. Start again from the top of the list.',
  },
  NEEDS_REASON: {
    status: 400,
    text: 'This entry lets in mail from many unrelated senders or from our own domain. Give a reason.',
    when: {
      decline: 'Say why you decline it. Whoever asked will read your reason.',
      against:
        'The evidence speaks against letting this in. Say why you release it; the record shows your reason.',
      'leave-finding': 'Say why you leave it as it is. Whoever sees it next will want to know.',
    },
  },
  BLOCKS_OWN_DOMAIN: {
    status: 400,
    text: 'This would keep back the organisation’s own mail. Block a single address instead. Mail that only claims to be ours is kept back anyway.',
  },
  NOTHING_TO_DO: {
    status: 400,
    text: 'This ruling changes nothing. Choose what should change first.',
    when: {
      lists: 'Your lists already say this.',
      mailbox: 'It is like that already. Nothing was changed.',
      'mail-rule': 'The mail rules are like that already. Nothing was changed.',
    },
  },
  NO_SENDER: {
    status: 400,
    text: 'Some of the marked messages have no such sender. Choose another pattern or mark fewer messages.',
  },
  NOTHING_TO_MOVE: {
    status: 400,
    text: 'There is nothing to move: the mail program or somebody else was quicker. Look at the folders again.',
  },
  TOO_MANY_TO_MOVE: {
    status: 400,
    text: 'That is more than 100,000 messages. Nothing was moved. Ask whoever runs the mail store to move that many.',
  },
  STORE_NOT_OPEN: {
    status: 409,
    text: 'Pendro can’t look into this mailbox. A steward can set how, under Organisation, Mail stores.',
  },
  STORE_TROUBLE: {
    status: 502,
    text: 'The mail store did not do it. Nothing was changed.',
    when: {
      'no-answer': 'The mail store does not answer. Nothing was changed; try again in a moment.',
      certificate:
        'The certificate of the mail store can’t be trusted. Nothing was changed. Whoever runs it has to renew it, or a steward has to name the new one.',
      'sign-in':
        'The mail store does not let Pendro in. Nothing was changed. A steward has to set the account’s password again.',
      'no-password':
        'No password is set for the mail store’s account. Nothing was changed. A steward can set it under Organisation, Mail stores.',
      'no-mailbox':
        'The mail store has no such mailbox, or its account may not open it. Nothing was changed. Ask whoever runs the mail store.',
      refused: 'The mail store refused: {{said}}. Nothing was changed.',
      nonsense:
        'Pendro could not understand the mail store. Nothing was changed. Ask whoever runs the mail store to look at its log.',
      full: 'The mailbox is full. Nothing was changed. The colleague has to make room, or whoever runs the mail store has to give more.',
    },
  },
  STANDBY_CLOSED: {
    status: 409,
    text: 'Your mail store is there again, and all your mail is in it. Use your mail program.',
  },
  NO_WEBHOOK: {
    status: 409,
    text: 'No address is set that passes messages on. A steward can set one under Organisation, Mail stores.',
  },
  LETTER_GONE: { status: 404, text: 'This draft is not there any more.' },
  LETTER_SENT: { status: 409, text: 'This letter has been sent already. It is sent once.' },
  DRAFT_CHANGED: {
    status: 409,
    text: 'You have changed this draft on another device. Open it again to see what it says now.',
  },
  TOO_MANY_DRAFTS: { status: 409, text: 'You have 50 drafts. Send one or throw one away first.' },
  LETTER_TOO_LARGE: {
    status: 413,
    text: 'The attachments are more than 20 MB together. This file was not attached.',
  },
  NO_RECIPIENTS: { status: 400, text: 'Add somebody to send it to. Nothing was sent.' },
  BAD_RECIPIENTS: { status: 400, text: 'These are not email addresses: {{lines}}. Nothing was sent.' },
  TOO_MANY_RECIPIENTS: { status: 400, text: 'That is more than 100 people. Nothing was sent.' },
  ATTACHMENT_HARMFUL: {
    status: 403,
    text: 'This attachment could do harm, so it can’t be opened here. Ask your help desk.',
  },
  STORE_NOT_FOUND: { status: 404, text: 'There is no mail store of this name.' },
  NO_SECRETS_KEY: {
    status: 409,
    text: 'Pendro has no key to seal passwords with. Nothing was kept. Whoever runs Pendro has to set PENDRO_SECRETS_KEY_FILE first.',
  },
  BAD_SET_UP: {
    status: 400,
    text: 'Some lines could not be read. Nothing was set up; correct them and try again.',
  },
  NO_MESSAGE: {
    status: 400,
    text: 'Pendro could not read that as a message. Choose the message itself, saved as .eml.',
  },
  EASY_PASSWORD: {
    status: 400,
    text: 'This password is easy to guess. Choose a longer one: four words that have nothing to do with each other work well.',
  },
  TOO_FAR: { status: 400, text: 'A message can be kept for two years from today at most.' },
  UNTIL_PASSED: { status: 400, text: 'That date has passed. Choose one in the future.' },
  SIGN_IN_FIRST: { status: 401, text: 'Sign in first.' },
  SIGN_IN_FAILED: { status: 401, text: 'The name or the password is wrong.' },
  OWN_SIGN_IN_FAILED: {
    status: 401,
    text: 'That code or password is not right for this mailbox. A code works once, within ten minutes; you can have a new one sent.',
  },
  OLD_PASSWORD_WRONG: {
    status: 403,
    text: 'The old password is not right. If you have forgotten it, sign in with a code; then you can choose a new one.',
    when: {
      missing:
        'Type your old password, too. If you have forgotten it, sign in with a code; then you can choose a new one.',
    },
  },
  CSRF: { status: 403, text: 'Your session could not be confirmed. Reload the page and try again.' },
  OBSERVER: {
    status: 403,
    text: 'You are signed in as an observer: you can read everything here but change nothing.',
  },
  SAY_WHY: {
    status: 403,
    text: 'This message is in the colleague’s mailbox and was not kept back. Say why you are opening it; the record shows your reason.',
  },
  NEEDS_STEWARD: {
    status: 403,
    text: 'Only stewards can add entries for all colleagues. Choose one colleague, or ask the stewards.',
    when: {
      setting: 'Only stewards can change this for all colleagues.',
      undo: 'This ruling changed entries for all colleagues, so only stewards can undo it.',
      'lets-in':
        'This entry lets in mail from many unrelated senders or from our own domain. Only stewards can add it.',
    },
  },
  NOT_FOUND: { status: 404, text: 'This page does not exist.' },
  DELIVERY_NOT_FOUND: { status: 404, text: 'This delivery no longer exists, or never did.' },
  CHANGE_NOT_FOUND: { status: 404, text: 'This change does not exist.' },
  MAILBOX_CHANGED: {
    status: 409,
    text: 'Somebody has changed this in the meantime. Nothing was done. Look at what it is now and decide again.',
  },
  SIGN_IN_TAKEN: {
    status: 409,
    text: 'Somebody signs in with this name already, or is invited by it. Choose another.',
  },
  INVITATION_OVER: {
    status: 404,
    text: 'This invitation has ended, was taken up or taken back. Ask a steward for a new one.',
  },
  STAFFER_NOT_FOUND: { status: 404, text: 'Nobody of this number works with Pendro.' },
  KEY_WRONG: {
    status: 401,
    text: 'This key is not one, or has ended. A steward can make another.',
  },
  KEY_NOT_FOUND: { status: 404, text: 'There is no such key any more.' },
  FOR_PEOPLE: {
    status: 403,
    text: 'This is for people and not for programs: a key can’t sign in, and makes no keys and no staffers.',
  },
  FACTOR_WRONG: {
    status: 401,
    text: 'That did not prove that it is you. A code works once and only while the app shows it; try the next one, or a recovery code.',
    when: { passkey: 'This passkey is not one of yours here. Use another, or a code.' },
  },
  STEP_OVER: { status: 401, text: 'This took longer than five minutes. Begin again.' },
  PASSKEYS_NEED_NAME: {
    status: 409,
    text: 'Passkeys belong to a name, and Pendro is open by a number. Open it by its name; on this machine localhost would do.',
  },
  FACTOR_NOT_FOUND: { status: 404, text: 'There is no such second factor any more.' },
  FACTOR_NEEDED: {
    status: 409,
    text: 'Your organisation asks for a second factor, and this is your last. Add another one first.',
  },
  FACTOR_FIRST: {
    status: 403,
    text: 'Your organisation asks for a second factor. Add one on your own page first; everything else waits for it.',
    when: {
      own: 'You have no second factor yourself. Add one on your own page first, then ask it of everybody.',
    },
  },
  NOT_ON_OWN_PAGE: {
    status: 403,
    text: 'Your organisation sets this for everybody. Ask your help desk to change it for you.',
  },
  THROTTLE_OVER: { status: 404, text: 'Nothing waits there any more.' },
  NEEDS_PUBLIC_URL: {
    status: 409,
    text: 'A message needs an address for its link. Say it in PENDRO_PUBLIC_URL, or hand the link over yourself.',
  },
  PASSWORDS_OFF: {
    status: 403,
    text: 'Passwords are switched off here. Sign in with your organisation’s account, or with a passkey.',
  },
  COME_BY_PROVIDER: {
    status: 403,
    text: 'Your access comes from groups of your organisation’s account. Sign in with that account first; this passkey then counts as the second factor.',
  },
  NO_PROVIDER: {
    status: 409,
    text: 'Nobody can sign in with an account of the organisation here yet. A steward sets it up under Organisation.',
  },
  PROVIDER_NEEDS_ADDRESS: {
    status: 409,
    text: 'The way back from the identity provider needs an address that is known. Say it in PENDRO_PUBLIC_URL; on this machine localhost would do.',
  },
  PROVIDER_FAILED: {
    status: 502,
    text: 'The identity provider did not answer as expected. Nothing was changed; try again.',
    when: {
      unreachable:
        'The identity provider can’t be reached. See whether its address is right and it is running.',
      'no-provider':
        'At this address nobody answers as an identity provider. It needs the address that its own description gives as “issuer”.',
      issuer:
        'The identity provider calls itself by another address than the one that is set. Set the one it gives as “issuer”.',
      client:
        'The identity provider does not take Pendro’s name or secret. See the name under Organisation, and PENDRO_PROVIDER_SECRET.',
      forged:
        'What came back was not made by the identity provider for this sign-in. Nobody was let in. Begin again; if it goes on, tell a steward.',
      clock:
        'What came back has ended already, or has not begun. See whether the clocks of both machines are right.',
      refused: 'The identity provider did not let you in. Nothing was changed here.',
      address:
        'Your account gives no address that the identity provider has checked. Ask whoever runs it, or have a code sent to your mailbox.',
    },
  },
  NOT_KNOWN_HERE: {
    status: 403,
    text: 'Your account is right, but nobody has let it into Pendro. Ask a steward; if you have a password here, sign in by it and connect the account on your own page.',
    when: {
      groups: 'Your account is right, but none of its groups works with Pendro any more. Ask a steward.',
      mailbox: 'Your account is right, but {{address}} is no mailbox that Pendro looks after.',
    },
  },
  IDENTITY_TAKEN: {
    status: 409,
    text: 'This account is connected with somebody else here. Sign out at the identity provider, and come back with your own.',
  },
  IDENTITY_NEEDED: {
    status: 409,
    text: 'This account is your only way in. Add a passkey first, or choose a password.',
  },
  NOT_CONNECTED: { status: 409, text: 'No account of the identity provider is connected.' },
  GATEWAYS_FIRST: {
    status: 409,
    text: 'No gateway is listed, so no mail would come in at all. List the networks your gateways connect from first.',
  },
  HISTORY_NOT_FOUND: { status: 404, text: 'Nothing is learned there.' },
  HISTORY_STATE: {
    status: 409,
    text: 'This has gone on meanwhile. The screen shows how it is now.',
  },
  HISTORY_SOURCE: {
    status: 409,
    text: 'It can’t be read: {{problem}}',
  },
  SMART_HOST_FIRST: {
    status: 409,
    text: 'No smart host is set, so what colleagues send could go nowhere. Set one first, or stop taking it.',
  },
  JOURNAL_FIRST: {
    status: 409,
    text: 'Copies need an address they come to. Name a journal address.',
  },
  PROVIDER_FIRST: {
    status: 409,
    text: 'No steward of the whole organisation has connected an account there yet, so nobody could come in to change this again. Connect yours on your own page first.',
  },
  ROLE_BY_GROUPS: {
    status: 409,
    text: 'Role and departments come from groups at the identity provider, at each sign-in. Change the groups there, or the lines under Organisation.',
  },
  PROVE_AGAIN: { status: 403, text: 'Prove once more that it is you: this can’t be taken back.' },
  DEVICE_NOT_FOUND: { status: 404, text: 'Nobody is signed in there any more.' },
  OUT_OF_SCOPE: {
    status: 404,
    text: 'There is nothing of this number in the departments you look after. A steward can change which ones they are.',
    when: {
      whole:
        'This is about the whole organisation, and you look after some departments of it. Ask a staffer who looks after all of them.',
    },
  },
  LAST_STEWARD: {
    status: 409,
    text: 'Nobody else could change the organisation then. Make somebody else a steward first.',
  },
  SUSPENDED: {
    status: 403,
    text: 'Your access is suspended. Ask a steward of your organisation.',
  },
  BAD_SETTING: {
    status: 400,
    text: '{{lines}} can’t be used here. Nothing was changed; correct it and try again.',
    when: {
      code: '{{lines}} looks like a code of a digest: whoever replies would be taken to ask for it. Write it otherwise.',
      'client-id': 'Pendro’s name at the identity provider is still missing.',
    },
  },
  ADDRESS_STAYS: {
    status: 409,
    text: 'Pendro’s address {{addresses}} is at a domain that would be ours no more. Give Pendro another address first, then take the domain away.',
  },
  ADDRESS_OF_MAILBOX: {
    status: 409,
    text: '{{addresses}} is the address of a mailbox. Mail to it would no longer arrive there. Choose an address that nobody uses.',
  },
  NO_POSTMASTER: {
    status: 409,
    text: '{{address}} is nobody’s address, so mail to postmaster would go nowhere. Choose the address of a mailbox.',
  },
  BAD_TABLE: {
    status: 400,
    text: 'This file can’t be read as a table. Save it as CSV with a first row that names the columns: address, name, department.',
    when: { 'too-many': 'This table has more than {{most}} lines. Bring it in in parts, or by a directory.' },
  },
  BAD_MINDER: {
    status: 409,
    text: 'Mail can only go to another mailbox that is open. Choose one.',
  },
  NO_DIRECTORY: { status: 409, text: 'No directory is set. Say in Organisation where it is.' },
  DIRECTORY_FAILED: {
    status: 502,
    text: 'The directory did not answer as expected. Nothing was changed.',
    when: {
      unreachable:
        'The directory can’t be reached. See whether its address is right and it is running. Nothing was changed.',
      'no-ca': 'The file that PENDRO_DIRECTORY_CA names can’t be read. Nothing was changed.',
      'no-tls':
        'The directory could not begin an encrypted connection, or its certificate is not trusted here. Nothing was changed.',
      'not-let-in':
        'The directory did not let Pendro in. See the name it signs in with, and PENDRO_DIRECTORY_PASSWORD. Nothing was changed.',
      'no-base': 'The directory has nothing of the name where the search begins. Nothing was changed.',
      'bad-filter': 'The directory does not understand a filter. Nothing was changed.',
      'too-many':
        'The directory has more than 100,000 entries that fit. Narrow the filters. Nothing was changed.',
      'too-slow': 'The directory took too long. Nothing was changed; try again later.',
      nobody:
        'The directory shows nobody that fits. See the filter and what Pendro may read there. Nothing was changed.',
    },
  },
  TOO_MANY_CLOSE: {
    status: 409,
    text: 'This would close {{close}} of {{of}} mailboxes, more than {{share}} %. Nothing was changed; look at them, and confirm if it is right.',
  },
  BAD_CONTACTS: {
    status: 400,
    text: 'This file holds no addresses that can be read. Contacts as a vCard file, or a list with one address a line, would do; 20,000 addresses at most.',
  },
  BAD_WEIGHTS: {
    status: 400,
    text: 'A weight may move only so far from the shipped one, and never to the other side of its meaning. Calibration shows how far.',
  },
  DEPARTMENT_NOT_FOUND: {
    status: 404,
    text: 'No mailbox is in a department of this name. Use a name as Mailboxes shows it.',
  },
  BAD_LIMITS: {
    status: 400,
    text: 'Limits are numbers from 1 to 100, and each is as high as the one before or higher: junk, quarantined, near-certain.',
  },
  BAD_REPLY: {
    status: 400,
    text: 'This automatic reply can’t be kept.',
    when: {
      'no-text': 'The automatic reply has no text yet. Write one, or leave it off.',
      twice: 'There are two texts in one language. Keep one of them.',
    },
  },
  BAD_SCRIPT: {
    status: 400,
    text: 'This script can’t be read.',
    when: {
      unexpected:
        'Line {{line}} can’t be read: “{{found}}” is not expected there. Check the line in the program the script comes from.',
      unfinished: 'The script ends before it is finished: a brace, bracket or quote is missing.',
      'too-deep': 'Line {{line}}: tests are nested more than 15 deep. Such a script can’t be taken.',
      'too-long': 'The script is longer than 200,000 characters. Bring it in in parts.',
      'too-slow': 'The script took too long to read. Bring it in in parts.',
    },
  },
  BAD_AWAY: {
    status: 400,
    text: 'These times away can’t be kept.',
    when: {
      'ends-before':
        'Time away number {{at}} ends before it begins. The day of the return comes after the first day away.',
      'too-long': 'Time away number {{at}} is longer than a year. Enter the first year of it.',
      'too-many': 'There is room for 20 times away. Remove those that are over.',
      over: 'Time away number {{at}} was over more than a year ago. Check the year.',
      'own-digests':
        'Digests can’t be sent to the mailbox they are about. Choose another colleague, or let them wait.',
      'no-colleague':
        'The mailbox that should get the digests does not exist, or belongs to nobody. Choose a colleague.',
    },
  },
  MAILBOX_NOT_FOUND: { status: 404, text: 'This mailbox does not exist.' },
  MAIL_RULE_NOT_FOUND: { status: 404, text: 'This mail rule does not exist.' },
  MAIL_RULE_CHANGED: {
    status: 409,
    text: 'Somebody else has changed these mail rules meanwhile. Nothing was done; look at them as they are now.',
  },
  ENTRY_NOT_FOUND: { status: 404, text: 'This sender entry does not exist.' },
  ENQUIRY_NOT_FOUND: { status: 404, text: 'This enquiry does not exist.' },
  FINDING_NOT_FOUND: {
    status: 404,
    text: 'This finding is gone: its entries have changed, or the lists have been checked again.',
  },
  REQUEST_NOT_FOUND: { status: 404, text: 'This request does not exist.' },
  DIGEST_NOT_FOUND: { status: 404, text: 'This digest does not exist.' },
  IMPORT_NOT_FOUND: { status: 404, text: 'This import does not exist.' },
  RULING_NOT_FOUND: { status: 404, text: 'This ruling does not exist.' },
  SOURCE_GONE: { status: 410, text: 'The message is no longer kept; only its headers are.' },
  ALREADY_SET_UP: { status: 409, text: 'Pendro is already set up. Sign in.' },
  SEALED: {
    status: 409,
    text: 'This message is sealed because it has harmful content. Nobody can release it.',
  },
  ALREADY_RULED: {
    status: 409,
    text: 'Somebody else has already ruled on this. Nothing was changed.',
    when: {
      release: '{{by}} was first and has already released “{{subject}}”. Nothing was changed.',
      discard: '{{by}} was first and has already discarded “{{subject}}”. Nothing was changed.',
      restore: '{{by}} was first and has already restored “{{subject}}”. Nothing was changed.',
      'own-release': 'You have already released “{{subject}}”. Nothing was changed.',
      'own-discard': 'You have already discarded “{{subject}}”. Nothing was changed.',
      'own-restore': 'You have already restored “{{subject}}”. Nothing was changed.',
    },
  },
  WRONG_STATE: {
    status: 409,
    text: 'This message has changed in the meantime. Check where it is now and try again.',
    when: {
      release: '“{{subject}}” can’t be released. Where it is now: {{state}}.',
      discard: '“{{subject}}” can’t be discarded. Where it is now: {{state}}.',
      restore: '“{{subject}}” can’t be restored. Where it is now: {{state}}.',
      erase:
        '“{{subject}}” can’t be discarded for good: only what was discarded before can be. Where it is now: {{state}}.',
      keep: '“{{subject}}” does not go away by itself. Where it is now: {{state}}.',
      all: 'This can’t be done to any of them as they are now.',
      'being-sent': 'Pendro is sending it to the mail store at this moment.',
      'not-waiting':
        'Only mail that is waiting for the mail store can be sent again. Where it is now: {{state}}.',
    },
  },
  NOTHING_SHOWN: { status: 409, text: 'The list is empty now: there is nothing to mark.' },
  TOO_MANY_SHOWN: {
    status: 409,
    text: 'The list shows more than {{most}} messages. Narrow it, by days, score or colleague.',
  },
  TOO_MANY_ENTRIES: {
    status: 409,
    text: 'This would make more than {{most}} entries. Narrow the list, make it one for all colleagues, or leave the senders as they are.',
  },
  SELECTION_GONE: {
    status: 409,
    text: 'What was marked here is not marked any more. Mark it again.',
  },
  ALREADY_UNDONE: { status: 409, text: 'This has already been undone.' },
  LATER_RULING: {
    status: 409,
    text: 'A later ruling builds on this one. Undo that one first.',
    when: {
      entries:
        'Later changes build on this one: {{named}} ({{changes}} in all, the latest by {{by}}). Undo those first; the record lists them.',
      delivery: '{{by}} ruled on “{{named}}” again after this. Undo that ruling first.',
    },
  },
  ENTRY_CHANGED: {
    status: 409,
    text: 'Somebody else has just changed this entry. Look at it again before you change it.',
    when: {
      changed:
        '{{by}} changed the entry {{pattern}} before you. You meant: {{meant}}. It is now: {{became}}.',
      ended: '{{by}} ended the entry {{pattern}} before you. Nothing was changed.',
    },
  },
  NOT_TIDY: {
    status: 409,
    text: 'New mail has changed the result for some of these. Nothing was changed; check them one by one.',
  },
  ALREADY_ASKED: { status: 409, text: 'The stewards already have this request.' },
  ALREADY_ANSWERED: {
    status: 409,
    text: 'This request has already been answered.',
    when: {
      approved: '{{by}} has already approved this request.',
      declined: '{{by}} has already declined this request.',
    },
  },
  IMPORT_NOT_READY: { status: 409, text: 'This list is still being read, or has already been imported.' },
  NO_UNSUBSCRIBE: {
    status: 409,
    text: 'You can’t unsubscribe from here: the message offers no way to do so, or nothing proves who sent it.',
  },
  DIGEST_GONE: { status: 409, text: 'This digest has already been sent.' },
  TOO_MANY_RULES: {
    status: 409,
    text: 'There is room for 500 mail rules and 5,000 values in them. Use sender entries for rules that only block a sender.',
  },
  NOTHING_TO_SEND: {
    status: 409,
    text: 'Nothing has been kept back for this mailbox since its last digest, so there is nothing to send.',
  },
  DIGEST_JUST_SENT: {
    status: 429,
    text: 'You got a digest a few minutes ago. Ask for another one in a while.',
  },
  DIGEST_RUNNING: { status: 409, text: 'Somebody else has just sent a digest to this mailbox.' },
  TOO_LARGE: {
    status: 413,
    text: 'This is too large. A list or a message may be up to 10 MB, anything else up to 300 kB. A list of 50,000 entries is about 2 MB.',
  },
  TOO_MANY_TRIES: {
    status: 429,
    text: 'Too many tries. Wait a minute and try again.',
    when: {
      account:
        'Too many tries for this name. Wait 15 minutes, then try again, or use a device on which you have signed in before.',
      mailbox:
        'Too many tries for this mailbox. Wait 15 minutes, then try again. Your help desk can send you messages in the meantime.',
    },
  },
  UNSUBSCRIBE_FAILED: {
    status: 502,
    text: 'The sender’s server did not accept the request. Nothing was changed; you can block the sender instead.',
  },
  DATABASE_AWAY: {
    status: 503,
    text: 'The database is not answering. Nothing was changed; try again in a moment.',
  },
  BUSY: {
    status: 503,
    text: 'Several people changed the same things at the same moment. Nothing of yours was changed; try again.',
  },
  INTERNAL: {
    status: 500,
    text: 'Something went wrong in Pendro. Nothing was changed. Try again; if it happens again, tell whoever runs Pendro (it is in the log).',
  },
} as const satisfies Readonly<Record<string, ProblemShape>>

interface ProblemShape {
  readonly status: number
  readonly text: string
  readonly when?: Readonly<Record<string, string>>
}

/** The name of a problem; its status and its sentence are in {@link problems}. */
export type ProblemCode = keyof typeof problems

/** Names of the blanks in a text. */
type Blanks<T extends string> = T extends `${string}{{${infer Name}}}${infer Rest}`
  ? Name | Blanks<Rest>
  : never
type Filled<T extends string> = Readonly<Record<Blanks<T>, string | number>>
type When<C extends ProblemCode> = (typeof problems)[C] extends { readonly when: infer W } ? W : never
type Special<W> = {
  [K in keyof W]: { readonly context: K } & Filled<W[K] & string>
}[keyof W]

/** What an error must bring along: one fact for each blank of its sentence. Others may come beside them. */
export type ProblemFacts<C extends ProblemCode> = C extends ProblemCode
  ? (({ readonly context?: never } & Filled<(typeof problems)[C]['text']>) | Special<When<C>>) &
      Readonly<Record<string, unknown>>
  : never

/** The sentences as i18next resources: `problem.CODE`, and `problem.CODE_context` for a special case. */
export const problemTexts: Readonly<Record<string, string>> = Object.fromEntries(
  Object.entries(problems).flatMap(([code, { text, ...rest }]) => [
    [code, text],
    ...Object.entries('when' in rest ? rest.when : {}).map(([context, special]) => [
      `${code}_${context}`,
      special,
    ]),
  ]),
)
