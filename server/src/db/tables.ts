/** What a table is for, what makes it grow, and when its rows go. Of each table there is; docs/data-model.md is made of it. */
export interface TableNote {
  readonly purpose: string
  readonly grows: string
  readonly ends: string
}

const note = (purpose: string, grows: string, ends: string): TableNote => ({ purpose, grows, ends })

const never = 'never'
/** Keeping is to come: docs/next.md. */
const notYet = 'nothing removes them yet'
const withMessage = 'with its message'
const withDelivery = 'with its delivery'
const perMessage = 'a row a message'
const perDelivery = 'a row a delivery'

export const tables: Readonly<Record<string, TableNote>> = {
  // The organisation and its people
  organisation: note('The one organisation: name, zone, settings', 'one row', never),
  versions: note('How often what processes keep in memory has changed', 'a row a kind', never),
  signing_keys: note(
    'Keys this installation signs links, devices and deliveries with',
    'a row a kind',
    never,
  ),
  mailboxes: note('Mailboxes with their limits, language and digest times', 'a row a mailbox', never),
  mailbox_addresses: note(
    'Every address and alias, and whose it is',
    'a few rows a mailbox',
    'with its mailbox',
  ),
  minders: note(
    'Who gets the digests of a shared mailbox or list',
    'a few rows a shared mailbox',
    'with its mailbox',
  ),
  staffers: note('Who works with Pendro, their role and password', 'a row a staffer', never),
  sessions: note(
    'Staffers who are signed in, by the hash of their token',
    'a row a sign-in',
    'when it runs out or is signed out',
  ),
  sign_in_tries: note(
    'Wrong passwords of staffers, by account and device',
    'a row a try',
    'after a quarter of an hour',
  ),
  colleague_access: note(
    'Password, one-time code and link generation of a colleague',
    'a row a colleague who used it',
    'with its mailbox',
  ),
  colleague_sessions: note(
    'Devices on which a colleague is signed in',
    'a row a device',
    'when it runs out or is signed out',
  ),
  // Mail
  messages: note(
    'Messages: envelope, who sent them, what is harmful; in, and out for correspondence',
    perMessage,
    notYet,
  ),
  message_sources: note('The bytes of a message, packed', perMessage, withMessage),
  message_readings: note(
    'What was read of a message, packed, so that nothing is parsed twice',
    perMessage,
    withMessage,
  ),
  message_senders: note(
    'Under whose names a message came: From, envelope, Sender, list',
    'a few rows a message',
    withMessage,
  ),
  message_words: note('What a message is found by', perMessage, withMessage),
  known_senders: note('Names and addresses that have written', 'a row a new sender', never),
  sender_trigrams: note(
    'Groups of three letters a sender is found by when misspelt',
    'some twenty rows a new sender',
    'with its sender',
  ),
  sender_profiles: note(
    'What sender lists look at, once for all messages that are alike',
    'a row a new kind of sender',
    never,
  ),
  deliveries: note('A message in a mailbox: where it is, its score, why', perDelivery, notYet),
  delivery_judgements: note('Evidence and decision path of a delivery', perDelivery, withDelivery),
  review_counts: note(
    'Deliveries by day, state and score band, kept by triggers',
    'a row a day, state and band',
    never,
  ),
  clusters: note(
    'How many deliveries have the same text, and what rulings moved them by',
    'a row a text',
    never,
  ),
  inspections: note('Messages the attachment lab looks at', 'a row a message with attachments', withMessage),
  refusals: note('What the door refused, for Whereabouts', 'a row a refusal, bounded by session', notYet),
  outbox: note('What is to be sent: deliveries, digests, answers, letters', 'a row a thing to send', notYet),
  // What is known
  correspondence: note('How often a colleague has written to an address', 'a row a pair', never),
  correspondence_domains: note('The same by domain, for all colleagues', 'a row a domain', never),
  senders_seen: note(
    'How often an address or domain has written, and what people called it',
    'two rows a new sender',
    never,
  ),
  words: note('How often a word stood in wanted and junk mail people ruled on', 'a row a word', never),
  lessons: note(
    'What each ruling taught, so that undo takes back just that',
    'a row a message ruled on',
    never,
  ),
  text_calibration: note('How the score of words is turned into odds', 'one row', never),
  // Sender lists
  sender_entries: note(
    'Entries of all sender lists; one that has ended stays, for the history',
    'a row an entry',
    never,
  ),
  list_versions: note('How often each list has changed; every change writes it first', 'a row a list', never),
  entry_matches: note(
    'Which entries a delivery met, and in what role',
    'a few rows a delivery that met one',
    withDelivery,
  ),
  entry_requests: note('Requests to make an entry one for everybody', 'a row a request', never),
  mail_rules: note('Rules by which a mailbox sorts its mail', 'up to 500 rows a mailbox', 'with its mailbox'),
  list_imports: note('Lists that are brought in', 'a row a list', never),
  list_import_lines: note('What becomes of each line of an import', 'a row a line', 'with its import'),
  list_accuracy: note('How good the lists were, week by week', 'a row a week', never),
  upkeep_runs: note('When upkeep looked, and who is looking', 'one row', never),
  upkeep_findings: note('What upkeep found at its last look', 'a row a finding', 'at the next look'),
  upkeep_finding_entries: note('Entries a finding is about', 'a few rows a finding', 'with its finding'),
  upkeep_aside: note(
    'Findings that were set aside, with the facts they had then',
    'a row a finding set aside',
    'when taken back',
  ),
  // What people do
  rulings: note('What people decided: the sentence, who, when, undone when', 'a row an act', never),
  ruling_deliveries: note(
    'Deliveries an act was about, from where to where',
    'a row a delivery ruled on',
    never,
  ),
  ruling_entries: note('Entries an act added and ended', 'a row an entry', never),
  record_entries: note(
    'Who did what, to what, for whom and why; the database refuses to change it',
    'a row an act',
    never,
  ),
  record_unsealed: note('Entries that wait to be sealed', 'a row an entry', 'within seconds'),
  record_seals: note('The hash of each entry over the one before', 'a row an entry', never),
  live_events: note('What open screens are told', 'some rows an act or delivery', notYet),
  // Digests
  digest_due: note('When each mailbox gets its next digest', 'a row a mailbox', 'with its mailbox'),
  digests: note('Digests that were sent, as they were sent', 'a row a digest', never),
  digest_lines: note('Which deliveries a digest named', 'a row a line', 'with its digest'),
  digest_notes: note('Words of the help desk for a line to come', 'a row a note', never),
  digest_replies: note('What colleagues replied, and what was done', 'a row a reply', never),
  // Enquiries
  enquiries: note('Questions of colleagues for a message', 'a row a question', never),
  enquiry_deliveries: note('Messages an enquiry is about', 'a few rows an enquiry', 'with its enquiry'),
  enquiry_queue: note(
    'Deliveries that open enquiries have not been asked about yet',
    perDelivery,
    'within seconds',
  ),
  enquiry_readers: note('Who has an enquiry open at the moment', 'a row a reader', never),
  // The schema itself
  migrations: note('Migrations that are done', 'a row a migration', never),
  migration_steps: note(
    'How far a migration has come, so that an interrupted one goes on',
    'a row a migration',
    never,
  ),
}
