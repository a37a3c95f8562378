/** English wording of what goes out by mail, or is told to a colleague. Apart: no screen of the staffers needs it. */
export const enLetters = {
  digest: {
    subject_zero: 'Kept back for you: near-certain junk only',
    subject_one: 'Kept back for you: {{count}} message',
    subject_other: 'Kept back for you: {{count}} messages',
    greeting: 'Hello {{name}},',
    intro_zero: 'Nothing that looked wanted was kept back.',
    intro_one:
      'this message looked like junk, so it was kept back. Nothing else needs to be done if you do not want it.',
    intro_other:
      'these messages looked like junk, so they were kept back. Nothing else needs to be done if you do not want them.',
    leftOut_one: '{{count}} more is near-certain junk and not listed. It stays until {{date}}.',
    leftOut_other: '{{count}} more are near-certain junk and not listed. They stay until {{date}}.',
    leftOutJunk_one:
      '{{count}} more is near-certain junk or in your junk folder, and not listed. It stays until {{date}}.',
    leftOutJunk_other:
      '{{count}} more are near-certain junk or in your junk folder, and not listed. They stay until {{date}}.',
    any: 'Read it, or decide:',
    ownPage: 'All that is kept back for you, at any time:',
    note: 'Your help desk says:',
    howToAsk:
      'To get a message, answer this mail and delete the lines you do not want: what is still named by its code in your answer is sent to you. The code alone in an answer does, too.',
    help: 'Sent by Pendro for {{organisation}}.',
  },
  /** The answer to a colleague's reply. */
  digestAnswer: {
    greeting: 'Hello {{name}},',
    nothing:
      'your reply names none of the messages by its code, so nothing was sent. Answer the digest again and leave the lines of the messages you want, or send the code alone.',
    released_zero: 'none of the messages you named could be sent to you:',
    released_one: 'one message is on its way to you.',
    released_other: '{{count}} messages are on their way to you.',
    fate: {
      released: 'Sent to you.',
      'released-before': 'You have it already: it was sent before.',
      'on-its-way': 'It was asked for already and is on its way.',
      discarded: 'It was discarded. Your help desk can restore it while it is kept.',
      gone: 'It has gone away; it was kept for as long as things are kept here.',
      sealed: 'It holds something harmful. Nobody can release it.',
      unknown: 'No message of yours has this code. It may be from an old digest, or somebody else’s.',
    },
    slip: '{{typed}} looks like a code with a slip in it. Nothing was sent for it.',
    slipMeant:
      '{{typed}} looks like a code with a slip in it; you probably meant {{meant}}. Nothing was sent for it: answer with {{meant}} if so.',
    help: 'Sent by Pendro for {{organisation}}.',
  },
  welcome: {
    subject: 'Mail kept back for you, and how to get it',
    greeting: 'Hello {{name}},',
    text: 'Pendro keeps back mail for {{organisation}} that looks like junk. What is kept back for you comes to you in a digest, from which you can have any message sent to you: by answering it, or by its links.',
    secret:
      'The first time you follow a link on a device, you sign in with {{address}} and this password, which is yours alone:\n\n    {{secret}}',
    how: 'You can choose another one, see all that is kept back, and set when digests come: {{url}}',
    never: 'Nobody at your help desk will ever ask you for it.',
  },
  code: {
    subject: '{{secret}} is your code',
    greeting: 'Hello {{name}},',
    text: 'somebody, we hope you, wants to see the mail that is kept back for {{address}} on a new device.',
    secret: 'The code is {{secret}}. It counts for {{minutes}} minutes, and once.',
    how: 'If it was not you, nothing needs to be done: without the code nobody gets in.',
    never: 'Nobody at your help desk will ever ask you for it.',
  },
  /** What a staffer may tell a colleague about a message. */
  account: {
    cameIn: 'The message “{{subject}}” from {{from}} came in on {{received}}.',
    state: {
      inspecting: 'An attachment is still being looked at; it goes on as soon as that is done.',
      inbox: 'It was delivered to your inbox.',
      aside: 'It was delivered to your folder for set-aside mail, because it is bulk mail.',
      junk: 'It looked like junk and was put into your junk folder.',
      quarantined: 'It looked like junk and is held back; it is not in your mailbox.',
      sealed: 'It holds something harmful. Nobody can release it.',
      deferred: 'It is on its way; your mail store could not take it yet, and we go on trying.',
      bounced: 'Your mail store refused to take it: {{problem}}',
      released: 'It was held back first, and went to your inbox on {{time}}.',
      discarded: 'It was held back and has been discarded. We can still bring it back.',
      expired: 'It was held back and has gone away since; it was kept for as long as things are kept here.',
      moved: 'Your mail rule “{{rule}}” moved it to the folder “{{folder}}”.',
    },
    digest: 'Your next digest, {{time}}, would name it.',
    until: 'It is kept until {{until}}.',
  },
} as const
