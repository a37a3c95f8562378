import type { PathLineShape, RulingSentence, WhereHit } from '@pendro/contract'
import { nextDigest } from '@pendro/core/digest'
import {
  journeyOf,
  readStatus,
  type Copy,
  type Facts,
  type Happening,
  type Stop,
  type Way,
} from '@pendro/core/whereabouts'
import { select, type Database } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import type { Mailboxes } from '../db/models/organisation.ts'
import type { Deliveries, DeliveryJudgements } from '../db/models/deliveries.ts'
import { findOne } from '../db/rows.ts'
import { Messages, Refusals } from '../db/models/messages.ts'
import { digestSchedule, readOrganisation, type MailboxRow, type Organisation } from '../db/organisation.ts'
import { awayTimes, waitsOf } from '../deliveries/expiry.ts'

/** A hit before it was rated. */
export type Traced = Omit<WhereHit, 'likeness' | 'label'>

interface TracedRow
  extends
    Pick<
      MailboxRow,
      | 'closed_at'
      | 'time_zone'
      | 'digest_times'
      | 'digest_weekdays'
      | 'digest_lists_junk'
      | 'digest_lists_near_certain'
    >,
    Pick<
      RowOf<typeof Deliveries>,
      | 'id'
      | 'message_id'
      | 'mailbox_id'
      | 'from_name'
      | 'from_address'
      | 'subject'
      | 'address_used'
      | 'received_at'
      | 'landed_at'
      | 'expires_at'
      | 'score'
      | 'left_out'
      | 'state'
      | 'bound_for'
      | 'folder'
      | 'came_from'
    >,
    Pick<RowOf<typeof DeliveryJudgements>, 'path'>,
    Pick<RowOf<typeof Mailboxes>, 'language' | 'unfetched'>,
    Pick<RowOf<typeof Messages>, 'envelope_from' | 'harm'> {
  readonly mailbox_name: string
  readonly mailbox_address: string
  readonly cut: Date | null
  readonly listed: number
  readonly attempts: number | null
  readonly next_at: Date | null
  readonly problem: string | null
}

/** The ways of some deliveries, by their ids; what does not exist is absent. */
export async function journeysOf(
  db: Database,
  ids: readonly number[],
  now: Date,
  given?: Organisation,
): Promise<ReadonlyMap<number, Traced>> {
  if (ids.length === 0) return new Map()
  const [organisation, rows, happenings, copies] = await Promise.all([
    given ?? readOrganisation(db),
    select<TracedRow>(
      db,
      `SELECT d.id, d.message_id, d.mailbox_id, b.name AS mailbox_name, b.address AS mailbox_address, b.language, b.closed_at, b.time_zone, b.digest_times, b.digest_weekdays,
         b.digest_lists_junk, b.digest_lists_near_certain, b.unfetched, d.from_name, d.from_address, d.subject, d.address_used, m.envelope_from,
         d.received_at, d.landed_at, d.expires_at, d.score, d.left_out, d.state, d.bound_for, d.folder, d.came_from, m.harm, j.path,
         g.cut, l.reference IS NOT NULL AS listed, o.attempts, o.next_at, o.problem
       FROM deliveries d JOIN mailboxes b ON b.id = d.mailbox_id JOIN messages m ON m.id = d.message_id
       LEFT JOIN delivery_judgements j ON j.delivery_id = d.id
       LEFT JOIN digest_lines l ON l.delivery_id = d.id LEFT JOIN digests g ON g.id = l.digest_id
       LEFT JOIN outbox o ON o.kind = 'delivery' AND o.subject_id = d.id AND o.done_at IS NULL
       WHERE d.id IN (:ids)`,
      { ids },
    ),
    happeningsOf(db, ids),
    copiesOf(db, ids),
  ])
  const away = await awayTimes(db, [...new Set(rows.map(row => row.mailbox_id))])
  // Most mailboxes have the same schedule; working out its next time is most of the work.
  const known = new Map<string, number | null>()
  const nextDigestOf = (row: TracedRow) => {
    const schedule = digestSchedule(row, organisation, waitsOf(away.get(row.mailbox_id)))
    const key = JSON.stringify(schedule)
    const at = known.get(key) ?? nextDigest(schedule, now.getTime())
    known.set(key, at)
    return at
  }
  return new Map(
    rows.map(
      row =>
        [
          row.id,
          traced(
            row,
            { happenings: happenings.get(row.id) ?? [], copies: copies.get(row.id) ?? [] },
            nextDigestOf,
          ),
        ] as const,
    ),
  )
}

function traced(
  row: TracedRow,
  { happenings, copies }: Pick<Way, 'happenings' | 'copies'>,
  nextDigestOf: (row: TracedRow) => number | null,
): Traced {
  const decided = row.path?.find(({ outcome }) => outcome === 'decided')
  const way: Way = {
    receivedAt: row.received_at.getTime(),
    envelopeFrom: row.envelope_from,
    // An alias is worth a word; the mailbox's own address is not.
    addressUsed: row.address_used === row.mailbox_address ? '' : row.address_used,
    score: row.score,
    harm: row.harm?.name ?? '',
    decided: {
      stage: decided?.stage ?? '',
      facts: {
        ...decided?.facts,
        ...(decided?.decided ? { pattern: decided.decided.pattern } : {}),
        ...(decided?.stage === 'rules' ? ruleFacts(decided) : {}),
      },
    },
    placed: {
      ...ruleFacts(row.path?.find(isPlacing)),
      ...(row.folder !== null && row.unfetched?.includes(row.folder) ? { unfetched: 'yes' } : {}),
    },
    discardedByRule: decided?.stage === 'rules' && decided.rules?.[0]?.place === 'discarded',
    state: row.state,
    boundFor: row.bound_for,
    cameFrom: row.came_from,
    landedAt: row.landed_at?.getTime() ?? null,
    expiresAt: row.expires_at.getTime(),
    happenings,
    copies,
    digest: row.cut && { at: row.cut.getTime(), listed: row.listed === 1 },
    nextDigest: nextDigestOf(row),
    wouldBeListed:
      (row.left_out === 0 || row.digest_lists_near_certain === 1) &&
      (row.state !== 'junk' || row.digest_lists_junk === 1),
    waiting:
      row.next_at === null
        ? null
        : { attempts: row.attempts ?? 0, nextAt: row.next_at.getTime(), problem: row.problem ?? '' },
  }
  return {
    kind: 'delivery',
    id: row.id,
    subject: row.subject,
    fromName: row.from_name,
    fromAddress: row.from_address,
    to: row.mailbox_name,
    mailboxId: row.mailbox_id,
    mailboxLanguage: row.language,
    at: row.received_at.toISOString(),
    state: row.state,
    journey: journeyOf(way).map(shown),
  }
}

/** Where a rule said where the message goes; rules of before placing was a question of its own said so in stage `rules`. */
const isPlacing = ({ stage, outcome, rules }: PathLineShape): boolean =>
  outcome === 'decided' &&
  (stage === 'placing' || (stage === 'rules' && ['moved', 'inbox'].includes(rules?.[0]?.place ?? '')))

/** The mail rule that spoke first in a stage, by its name and number. */
function ruleFacts(line: PathLineShape | undefined): Facts {
  const [rule] = line?.rules ?? []
  return rule ? { rule: rule.name, ruleId: rule.id, folder: rule.folder } : {}
}

const shown = ({ kind, at, facts, by, stage }: Stop): Traced['journey'][number] => ({
  kind,
  at: at === null ? null : new Date(at).toISOString(),
  facts: { ...facts, ...meaningOf(String(facts.problem ?? facts.reason ?? '')) },
  by,
  stage,
})

/** What a server's reply means, where it gives an enhanced status code (RFC 3463). */
function meaningOf(reply: string): Facts {
  const status = readStatus(reply)
  return status ? { meaning: status.meaning } : {}
}

/** What the record says happened to each; a ruling is told by what it did to the message. */
async function happeningsOf(
  db: Database,
  ids: readonly number[],
): Promise<ReadonlyMap<number, readonly Happening[]>> {
  const rows = await select<{
    delivery_id: number
    at: Date
    act: string
    by_name: string
    facts: Facts
    sentence: RulingSentence | null
    from_state: string | null
    to_state: string | null
  }>(
    db,
    `SELECT r.delivery_id, r.at, r.act, r.by_name, r.facts, NULL AS sentence, NULL AS from_state, NULL AS to_state, r.id
       FROM record_entries r WHERE r.delivery_id IN (:ids) AND r.act IN ('landed', 'bounced', 'inspected', 'digest-note', 'tried-again', 'store-report', 'erased')
     UNION ALL
     SELECT x.delivery_id, u.at, 'ruling', r.by_name, r.facts, u.sentence, x.from_state, x.to_state, r.id
       FROM ruling_deliveries x JOIN rulings u ON u.id = x.ruling_id JOIN record_entries r ON r.ruling_id = u.id AND r.act IN ('ruling', 'digest-reply')
       WHERE x.delivery_id IN (:ids) AND x.from_state <> x.to_state AND u.undone_at IS NULL
     ORDER BY at, id`,
    { ids },
  )
  const found = new Map<number, Happening[]>()
  for (const row of rows) {
    const happening: Happening = {
      at: row.at.getTime(),
      act: row.sentence ? `ruled-${row.sentence.message}` : row.act,
      by: row.by_name,
      facts: row.act === 'bounced' || row.act === 'store-report' ? row.facts : {},
    }
    found.set(row.delivery_id, [...(found.get(row.delivery_id) ?? []), happening])
  }
  return found
}

/** Copies of each at its mail store, in the order in which they were seen. */
async function copiesOf(db: Database, ids: readonly number[]): Promise<ReadonlyMap<number, readonly Copy[]>> {
  const rows = await select<{
    delivery_id: number
    path: string
    kind: string
    seen: number
    found_at: Date
    put_by: Copy['putBy']
    gone_at: Date | null
  }>(
    db,
    `SELECT c.delivery_id, f.path, f.kind, c.seen, c.found_at, c.put_by, c.gone_at
     FROM store_copies c JOIN store_folders f ON f.id = c.folder_id WHERE c.delivery_id IN (:ids) ORDER BY c.id`,
    { ids },
  )
  const found = new Map<number, Copy[]>()
  for (const { delivery_id, path, kind, seen, found_at, put_by, gone_at } of rows)
    found.set(delivery_id, [
      ...(found.get(delivery_id) ?? []),
      {
        folder: path,
        kind,
        seen: seen === 1,
        foundAt: found_at.getTime(),
        putBy: put_by,
        goneAt: gone_at?.getTime() ?? null,
      },
    ])
  return found
}

const simple = (kind: string, at: Date | null, facts: Facts, stage: Stop['stage']) =>
  shown({ kind, at: at?.getTime() ?? null, facts, by: '', stage })

/** Mail of a colleague on its way out. */
export async function outboundHit(db: Database, id: number): Promise<Traced | null> {
  const row = await findOne(
    db,
    Messages,
    { id },
    { columns: ['from_name', 'from_address', 'subject', 'received_at', 'sent_to'] },
  )
  return (
    row && {
      kind: 'outbound',
      id,
      subject: row.subject,
      fromName: row.from_name,
      fromAddress: row.from_address,
      to: row.sent_to,
      mailboxId: null,
      mailboxLanguage: '',
      at: row.received_at.toISOString(),
      state: null,
      journey: await wayOut(db, id, row.received_at),
    }
  )
}

/** Recipients of one message whose ways are told; the others go the same way. */
const mostRelays = 20

/** Sent, and by recipient what became of it: taken by the next server, waiting for it, or come back. A copy goes nowhere from here. */
async function wayOut(db: Database, messageId: number, at: Date): Promise<Traced['journey']> {
  const relays = await select<{
    recipient: string
    state: 'waiting' | 'taken' | 'returned'
    ended_at: Date | null
    problem: string
  }>(
    db,
    `SELECT r.recipient, r.state, r.ended_at, COALESCE(NULLIF(r.problem, ''), o.problem, '') AS problem
     FROM relays r LEFT JOIN outbox o ON o.kind = 'relay' AND o.subject_id = r.id
     WHERE r.message_id = :messageId ORDER BY r.id LIMIT ${mostRelays}`,
    { messageId },
  )
  return [
    simple('sent-out', at, {}, relays.length === 0 ? 'here' : 'done'),
    ...relays.map(({ recipient, state, ended_at, problem }) =>
      simple(`relay-${state}`, ended_at, { to: recipient, problem }, 'here'),
    ),
  ]
}

/** What the door turned away: the sender's own server tells them so. */
export async function refusedHit(db: Database, id: number): Promise<Traced | null> {
  const row = await findOne(
    db,
    Refusals,
    { id },
    { columns: ['at', 'ip', 'helo', 'envelope_from', 'recipient', 'code', 'reason'] },
  )
  return (
    row && {
      kind: 'refused',
      id,
      subject: '',
      fromName: '',
      fromAddress: row.envelope_from,
      to: row.recipient,
      mailboxId: null,
      mailboxLanguage: '',
      at: row.at.toISOString(),
      state: null,
      journey: [
        simple('asked-to-deliver', row.at, { host: row.helo || row.ip }, 'done'),
        simple('refused', row.at, { code: row.code, reason: row.reason }, 'here'),
        simple('sender-told', null, {}, 'coming'),
      ],
    }
  )
}
