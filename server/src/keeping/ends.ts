/** When the rows of a table go. */
export type End =
  /** With the row of another table that they belong to. */
  | { readonly with: string; readonly by: string }
  /** So many days after a moment, or the days that headers stay; `only`: a condition in SQL. */
  | { readonly after: number | 'headers'; readonly from: string; readonly only?: string }
  /** Their own capability sees to it; how. */
  | { readonly itself: string }
  /** Never, and why they may stay. */
  | { readonly stays: string }

const withDelivery: End = { with: 'deliveries', by: 'delivery_id' }
const withMessage: End = { with: 'messages', by: 'message_id' }
const few = 'few rows, and people make each of them'
const bounded = 'a row for something that stays itself'

/**
 * The end of life of every table (domain.md §7): a table that is not here makes a test fail. What ends `with` another or
 * `after` a time is removed by the purge; `deliveries` and `messages` have steps of their own there.
 */
export const ends: Readonly<Record<string, End>> = {
  deliveries: { after: 'headers', from: 'expires_at' },
  messages: { after: 'headers', from: 'received_at' },
  delivery_judgements: withDelivery,
  digest_lines: withDelivery,
  digest_notes: withDelivery,
  entry_matches: withDelivery,
  enquiry_deliveries: withDelivery,
  enquiry_queue: withDelivery,
  ruling_deliveries: withDelivery,
  store_copies: withDelivery,
  colleague_moves: withDelivery,
  standby_marks: { after: 31, from: 'done_at' },
  standby_letters: { after: 31, from: 'filed_at' },
  outage_notices: { after: 31, from: 'ended_at' },
  standby_files: { with: 'standby_letters', by: 'letter_id' },
  message_readings: withMessage,
  message_senders: withMessage,
  message_sources: withMessage,
  message_words: withMessage,
  relays: withMessage,
  inspections: withMessage,

  live_events: { after: 1, from: 'at' },
  outbox: { after: 14, from: 'done_at' },
  refusals: { after: 'headers', from: 'at' },
  door_days: { after: 'headers', from: 'day' },
  door_connections: { after: 1, from: 'began_at' },
  sessions: { after: 0, from: 'expires_at' },
  colleague_sessions: { after: 0, from: 'expires_at' },
  sign_in_tries: { after: 1, from: 'since' },
  sign_in_steps: { after: 0, from: 'expires_at' },
  enquiry_readers: { after: 1, from: 'at' },
  cluster_texts: { after: 93, from: 'seen_at' },
  cluster_bands: { with: 'cluster_texts', by: 'text_id' },
  automatic_replies_sent: { after: 31, from: 'at' },
  away_periods: { after: 'headers', from: 'until_at' },
  digest_replies: { after: 'headers', from: 'received_at', only: 'NOT needs_look' },
  // The last of each mailbox says where the next one begins.
  digests: {
    after: 'headers',
    from: 'cut',
    only: 'EXISTS (SELECT 1 FROM digests later WHERE later.mailbox_id = digests.mailbox_id AND later.since > digests.since)',
  },
  list_imports: { after: 7, from: 'at', only: "state IN ('reading', 'ready', 'failed')" },
  list_import_lines: { with: 'list_imports', by: 'import_id' },

  selections: { itself: 'a day after they were made, when the next one is' },
  selection_deliveries: { itself: 'when they are ruled on, or with their selection' },
  record_unsealed: { itself: 'when they are sealed' },
  upkeep_runs: { itself: 'one row, written over' },
  upkeep_findings: { itself: 'at the next look' },
  upkeep_finding_entries: { itself: 'with their finding' },
  staffer_identities: { itself: 'when a staffer connects it no more' },
  upkeep_aside: { itself: 'when taken back' },
  digest_due: { itself: 'a row a mailbox, written over' },
  store_mailboxes: { itself: 'a row a mailbox, written over' },
  store_scripts: { itself: 'a row a mailbox, written over' },
  store_folders: { itself: 'when the mail store has the folder no more' },

  record_entries: { stays: 'the record is never shortened' },
  record_seals: { stays: 'they prove the record' },
  rulings: { stays: few },
  ruling_entries: { stays: few },
  entry_requests: { stays: few },
  enquiries: { stays: few },
  enquiry_letters: { stays: few },
  mailbox_changes: { stays: few },
  store_moves: { stays: few },
  store_states: { stays: 'a row a mail store' },
  secrets: { stays: 'a row an account, until removed' },
  sender_entries: { stays: few },
  mail_rules: { stays: few },
  mailbox_looks: { stays: 'a row a mailbox at most' },
  automatic_replies: { stays: 'a row a mailbox at most' },
  ruling_rules: { stays: few },
  folded_rules: { stays: few },
  staffers: { stays: few },
  api_keys: { stays: few },
  staffer_factors: { stays: 'until given up or taken away' },
  recovery_codes: { stays: 'ten a staffer, until used or made anew' },
  lessons: { stays: 'what was learned can be unlearned' },
  clusters: { stays: 'counts, a row a text' },
  history_messages: { stays: 'until its run is undone' },
  history_runs: { stays: 'a row a run' },
  drift_aside: { stays: 'until taken back' },
  staffer_invitations: { stays: 'a row an invitation' },
  contacts: { stays: 'until taken out' },
  correspondence: { stays: 'counts, a row a pair' },
  correspondence_domains: { stays: 'counts, a row a domain' },
  senders_seen: { stays: 'counts, two rows a sender' },
  known_senders: { stays: 'counts, a row a sender' },
  sender_trigrams: { stays: bounded },
  sender_profiles: { stays: 'a row a kind of sender' },
  words: { stays: 'counts, a row a word' },
  review_counts: { stays: 'counts, a row a day and band' },
  list_accuracy: { stays: 'a row a week' },
  list_versions: { stays: bounded },
  mailboxes: { stays: few },
  mailbox_addresses: { stays: bounded },
  minders: { stays: bounded },
  colleague_access: { stays: bounded },
  organisation: { stays: 'one row' },
  door_states: { stays: 'a row a door' },
  signing_keys: { stays: 'a row a kind' },
  text_calibration: { stays: 'one row' },
  weight_fit: { stays: 'one row' },
  versions: { stays: 'a row a kind' },
  chores: { stays: 'a row a kind' },
  migrations: { stays: 'a row an upgrade' },
  migration_steps: { stays: 'a row an upgrade' },
}

/** Tables whose rows go with those of another, and the column that says whose they are. */
export const endingWith = (table: string): readonly (readonly [table: string, by: string])[] =>
  Object.entries(ends).flatMap(([name, end]) => ('with' in end && end.with === table ? [[name, end.by]] : []))
