/** English wording of what goes out by mail, or is told to a colleague. Apart: no screen of the staffers needs it. */
export const enLetters = {
  /** The sender's name on mail of Pendro's own. */
  letter: { from: 'Mail kept back, {{organisation}}' },
  digest: {
    subject_zero: 'Kept back for you: only near-certain junk',
    subject_one: 'Kept back for you: {{count}} message',
    subject_other: 'Kept back for you: {{count}} messages',
    subjectEnding_one: 'About to go away: {{count}} message kept back for you',
    subjectEnding_other: 'About to go away: {{count}} messages kept back for you',
    ending_one:
      'An earlier digest told you about this message, and nobody has looked at it since. It may be wanted, and it goes away soon.',
    ending_other:
      'Earlier digests told you about these messages, and nobody has looked at them since. They may be wanted, and they go away soon.',
    goesOn: 'Goes away on {{date}}.',
    greeting: 'Hello {{name}},',
    intro_zero: 'Nothing that looked wanted was kept back.',
    intro_one:
      'This message looked like junk, so it was kept back. If you don’t want it, there is nothing to do.',
    intro_other:
      'These messages looked like junk, so they were kept back. If you don’t want them, there is nothing to do.',
    leftOut_one: 'One more message is near-certain junk and is not listed. It is kept until {{date}}.',
    leftOut_other:
      '{{count}} more messages are near-certain junk and are not listed. They are kept until {{date}}.',
    leftOutJunk_one:
      'One more message is near-certain junk or in your junk folder and is not listed. It is kept until {{date}}.',
    leftOutJunk_other:
      '{{count}} more messages are near-certain junk or in your junk folder and are not listed. They are kept until {{date}}.',
    any: 'Read it or decide:',
    ownPage: 'See everything kept back for you at any time:',
    fresh: 'For a fresh digest at any time, send a mail with the word “digest” to this address.',
    freshHere: 'Or ask for one here:',
    note: 'A note from your help desk:',
    howToAsk:
      'To get a message, reply to this mail and delete the messages you don’t want: every message whose code is left in your reply is sent to you. You can also reply with just the code.',
    help: 'Sent by Pendro for {{organisation}}.',
  },
  /** The answer to a colleague's reply. */
  digestAnswer: {
    greeting: 'Hello {{name}},',
    nothing:
      'Your reply contains none of the codes, so nothing was sent. Reply to the digest again and keep the lines of the messages you want, or send just their codes.',
    released_zero: 'None of the messages you asked for could be sent to you:',
    released_one: 'One message is on its way to you.',
    released_other: '{{count}} messages are on their way to you.',
    fresh: {
      sent: 'A fresh digest is on its way.',
      nothing: 'Nothing is kept back for you at the moment.',
      'just-sent': 'You got a digest a few minutes ago. Ask again in a while.',
    },
    fate: {
      released: 'Sent to you.',
      'released-before': 'You already have it: it was sent earlier.',
      'on-its-way': 'It had already been asked for and is on its way.',
      discarded: 'It was discarded. Your help desk can still restore it.',
      gone: 'It is no longer kept, so it can’t be sent. Ask the sender to send it again.',
      sealed: 'It contains something harmful. Nobody can release it.',
      unknown: 'None of your messages has this code. It may come from an old digest or from somebody else’s.',
    },
    slip: '{{typed}} looks like a mistyped code. Nothing was sent for it.',
    slipMeant:
      '{{typed}} looks like a mistyped code, so nothing was sent for it. If you meant {{meant}}, reply with {{meant}}.',
    help: 'Sent by Pendro for {{organisation}}.',
  },
  welcome: {
    subject: 'Mail kept back for you and how to get it',
    greeting: 'Hello {{name}},',
    text: 'Pendro keeps back mail for {{organisation}} that looks like junk. You get a digest of the mail kept back for you. From there you can have any message sent to you, by replying or with a link.',
    secret:
      'The first time you follow a link on a device, sign in with {{address}} and this password. It is only for you:\n\n    {{secret}}',
    how: 'You can choose another password, see everything that is kept back, and set when digests come: {{url}}',
    never: 'Your help desk will never ask you for it.',
  },
  /** Mail of a colleague that another server did not take. */
  trial: {
    from: 'Pendro, a trial',
    subject: 'A trial of the way your mail takes',
    text: 'Your help desk has sent this to see which way mail takes to your mailbox. There is nothing to do.',
  },
  returned: {
    subject: 'Your message to {{recipient}} was not delivered',
    text: 'Your message could not be delivered to {{recipient}}. Nobody there has it.',
    problem: 'What the other mail server said: {{problem}}',
    what: 'Check the address, or ask your help desk. The header of your message is attached.',
  },
  invitation: {
    subject: 'You are invited to work with Pendro',
    greeting: 'Hello {{name}},',
    text: '{{by}} invites you to work with Pendro, which keeps back mail for {{organisation}}. You will sign in as {{signIn}}.',
    link: 'This link is yours alone and counts for three days:\n\n    {{url}}',
    never: 'If you did not expect this, ask {{by}} before you follow it.',
  },
  code: {
    subject: '{{secret}} is your code',
    greeting: 'Hello {{name}},',
    text: 'Somebody, we hope you, wants to see the mail kept back for {{address}} on a new device.',
    secret_one: 'The code is {{secret}}. It works once, within {{count}} minute.',
    secret_other: 'The code is {{secret}}. It works once, within {{count}} minutes.',
    how: 'If it was not you, there is nothing to do: nobody gets in without the code.',
    never: 'Your help desk will never ask you for it.',
  },
  /** Short enough for a phone: the mail store is away. */
  standbyNotice: {
    text: 'The mail server of {{organisation}} is down. Until it is back, read, answer and write mail here: {{link}} (the link works once, for {{count}} hours)',
  },
  /** The help desk's answer to a colleague's question. */
  enquiryLetter: {
    subject: 'Your question to the help desk',
    greeting: 'Hello {{name}},',
    from: '{{staffer}}, help desk, {{organisation}}',
    asked: 'You asked: “{{words}}”',
    how: 'You can reply to this mail. You can also read and answer it here: {{url}}',
  },
  /** An abuse report (RFC 5965), for whoever is responsible for the sender. */
  arf: {
    subject: { abuse: 'Report of junk', fraud: 'Report of phishing' },
    words: {
      abuse: 'This is a report of junk that reached us on {{date}}. The message follows as it came.',
      fraud: 'This is a report of phishing that reached us on {{date}}. The message follows as it came.',
    },
  },
  /** What a staffer may tell a colleague about a message. */
  account: {
    cameIn: 'The message “{{subject}}” from {{from}} came in on {{received}}.',
    state: {
      inspecting: 'An attachment is still being inspected. The message goes on as soon as that is done.',
      inbox: 'It was delivered to your inbox.',
      aside: 'It was delivered to your folder for set-aside mail because it is bulk mail.',
      junk: 'It looked like junk and was put into your junk folder.',
      quarantined: 'It looked like junk and is being kept back; it is not in your mailbox.',
      sealed: 'It contains something harmful. Nobody can release it.',
      deferred: 'It is on its way. Your mailbox could not take it yet; we keep trying.',
      bounced: 'Your mailbox did not accept it: {{problem}}',
      released: 'It was kept back at first and went to your inbox on {{time}}.',
      discarded: 'It was kept back and then discarded. We can still restore it.',
      discardedByRule: 'Your mail rule “{{rule}}” discarded it. We can still restore it.',
      expired: 'It was kept back and is no longer kept. Please ask the sender to send it again.',
      moved: 'Your mail rule “{{rule}}” moved it to the folder “{{folder}}”.',
    },
    store: {
      'moved-by-program': 'A mail program moved it to the folder “{{folder}}” on {{time}}. It is there now.',
      'moved-by-programInbox': 'A mail program moved it to your inbox on {{time}}. It is there now.',
      'moved-by-desk': 'We moved it to the folder “{{folder}}” on {{time}}.',
      'moved-by-deskInbox': 'We moved it to your inbox on {{time}}.',
      'found-in': 'It is in the folder “{{folder}}” of your mailbox.',
      'found-inInbox': 'It is in your inbox.',
      'gone-from-store':
        'It was delivered to your mailbox and is no longer there; a mail program removed it. We can’t bring it back from there.',
      unread: 'Nobody has opened it yet.',
    },
    unfetched: 'Your mail program does not fetch that folder, so you don’t see it there.',
    sender: 'this sender',
    nothingCame: {
      plain:
        'No message from {{from}} has reached {{address}} in the last {{days}} days. We looked in your mailbox, in what was kept back or refused, and in what is still on its way. Please ask the sender which address they wrote to and when, and whether they got a report that it could not be delivered. Then please have it sent again.',
      about:
        'No message from {{from}} about “{{about}}” has reached {{address}} in the last {{days}} days. We looked in your mailbox, in what was kept back or refused, and in what is still on its way. Please ask the sender which address they wrote to and when, and whether they got a report that it could not be delivered. Then please have it sent again.',
    },
    waitForSender: {
      plain:
        'So far no message from {{from}} has reached {{address}}. We are watching for it: as soon as one comes in, you hear from us. If you can, please ask the sender which address they wrote to and when.',
      about:
        'So far no message from {{from}} about “{{about}}” has reached {{address}}. We are watching for it: as soon as one comes in, you hear from us. If you can, please ask the sender which address they wrote to and when.',
    },
    digest: 'It will be in your next digest, on {{time}}.',
    until: 'It is kept until {{until}}.',
  },
} as const
