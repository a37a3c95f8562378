/**
 * What the SMTP door says to the client, after the codes of RFC 5321 §4.2 and RFC 3463. Senders read these in
 * bounces, so they are whole sentences. English, as SMTP answers are.
 */
export const enSmtp = {
  'no-mailbox': 'No mailbox here has the address {{address}}',
  'database-away': 'Our database does not answer; please try again later',
  'too-many-parts': 'The message has more than {{limit}} parts or levels',
  'too-many-recipients': 'Too many recipients in one message; send the rest in another',
  'too-many-refused': 'Too many addresses that do not exist; closing the connection',
  'too-many-connections': 'Too many connections from your address; please try again later',
  'too-many-messages': 'Too many messages on one connection; please open another',
  'not-listed': 'Mail is taken from the gateways of this organisation only',
  'too-many-a-minute': 'Too many messages in a minute from your address; try again later',
  'needs-tls': 'Mail is taken over TLS only: STARTTLS first',
  'routing-loop': 'The message has been handed on more than {{limit}} times',
  'too-large': 'The message is larger than {{limit}} bytes',
  'unreadable-report': 'The report cannot be read',
  'report-not-colleague': 'Only colleagues can send reports here',
  'report-unproven': 'Nothing proves that this report comes from you',
  'report-without-message':
    'Please forward the message as an attachment; forwarded text does not have what we need',
  'unreadable-reply': 'The reply cannot be read',
  'reply-not-colleague': 'Only the colleague who got a digest can reply to it',
  'reply-unproven': 'Nothing proves that this reply comes from you',
  'unreadable-question': 'The message cannot be read',
  'question-not-colleague': 'Only colleagues can ask the help desk here',
  'question-unproven': 'Nothing proves that this question comes from you',
  'question-taken': 'The help desk will look for it',
  noted: 'Noted',
  'reply-taken': 'Thank you',
  'report-taken_one': 'Thank you; learned from {{count}} message',
  'report-taken_other': 'Thank you; learned from {{count}} messages',
  taken: 'Taken in as {{id}}',
} as const
