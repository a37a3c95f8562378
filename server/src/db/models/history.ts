import type { HistoryVerdict } from '@pendro/core/history'
import type { HistorySource } from './shapes.ts'
import { chars, integer, json, link, maybe, model, moment, oneOf, preset, serial, text } from './columns.ts'

export const HistoryRuns = model(
  'history_runs',
  { purpose: 'Learning from older mail, and how far it is', grows: 'a row a run', ends: 'never' },
  {
    id: serial(),
    at: moment(),
    name: text(200),
    by_name: text(200),
    state: oneOf('learning', 'stopped', 'failed', 'done', 'undoing', 'undone'),
    taken: integer(),
    /** Known already, or not to be read. */
    left_out: integer(),
    /** Where its messages are; `null` of those that were handed over by hand. */
    source: maybe(json<HistorySource>()),
    mailbox_id: maybe(link('mailboxes')),
    verdict: maybe(oneOf<HistoryVerdict>('wanted', 'junk', 'sent')),
    /** As its source knows where to go on. */
    place: preset(text(500)),
    /** Of `total`: bytes or messages, whichever the source counts. */
    done: preset(integer({ size: 'big' })),
    total: preset(integer({ size: 'big' })),
    problem: preset(text(500)),
    /** The process that has the password; '' where none is needed. */
    owner: preset(chars(36)),
    claimed_until: maybe(moment()),
  },
)

export const HistoryMessages = model(
  'history_messages',
  {
    purpose:
      'What each message of before taught, so that it teaches once and can be taken back; never the message itself',
    grows: 'a row a message learned from',
    ends: 'when its run is undone',
  },
  {
    id: serial(),
    run_id: link('history_runs'),
    /** SHA-256 of its bytes. */
    hash: chars(64),
    mailbox_id: link('mailboxes'),
    verdict: oneOf<HistoryVerdict>('wanted', 'junk', 'sent'),
    senders: json<readonly string[]>(),
    written_to: json<readonly string[]>(),
    /** Of what was sent, for answers to it. */
    message_id_hash: maybe(chars(64)),
    subject: text(500),
  },
)
