import type { ReachAnswer } from '@pendro/contract'
import { addressText, parseAddress, parseDomain, type Address } from '@pendro/core/address'
import { decide, junkScore } from '@pendro/core/judgement'
import { matchingRules, type MailRule, type RuleVerdict } from '@pendro/core/mail-rules'
import { ruleView } from '@pendro/core/message'
import {
  candidateTexts,
  isAuthenticated,
  noAuthentication,
  parsePattern,
  type SenderFacts,
} from '@pendro/core/senders'
import { findRow, select, type Database } from '../db/database.ts'
import { findMailboxRow, mailboxPolicy, readOrganisation } from '../db/organisation.ts'
import { within, type Scope } from '../db/scope.ts'
import { AppError } from '../errors.ts'
import { rulesOf } from '../judging/mail-rules.ts'
import { registerOf, showLine } from '../judging/judge.ts'
import { readPattern } from '../lists/drafts.ts'
import { briefs, entriesFor } from '../lists/entries.ts'

interface Question {
  readonly from: string
  readonly mailbox: number
  readonly authenticated: 'yes' | 'no'
  readonly list: string
}

const day = 86_400_000

/** Rules that ask for nothing but the sender; what others look at is not known yet. */
function foreseeable(rules: readonly MailRule[], { from, listId }: SenderFacts): readonly RuleVerdict[] {
  const known = rules.filter(({ conditions }) =>
    conditions.every(({ field }) => field === 'from' || field === 'list'),
  )
  const named = from.map(address => ({ name: '', address, text: addressText(address) }))
  const asked = { from: named, to: [], cc: [], subject: '', listId, text: '', attachments: [] }
  return matchingRules(known, ruleView(asked, 0))
}

/** Would mail from … reach …? Judged by the same function as real mail, with what is assumed said. */
export async function answerQuestion(
  db: Database,
  scope: Scope,
  question: Question,
  now: Date,
): Promise<ReachAnswer> {
  const [organisation, mailbox] = await Promise.all([
    readOrganisation(db),
    findMailboxRow(db, question.mailbox),
  ])
  if (!mailbox) throw new AppError('MAILBOX_NOT_FOUND')
  const address = readSender(question.from)
  const authenticated = question.authenticated === 'yes'
  const sender: SenderFacts = {
    from: [address],
    envelopeFrom: address,
    sender: null,
    listId: readListId(question.list),
    authentication: authenticated
      ? { ...noAuthentication, dmarc: { result: 'pass', domain: address.domain } }
      : noAuthentication,
  }
  const [entries, mailRules, typical, seen] = await Promise.all([
    entriesFor(db, candidateTexts(sender), [mailbox.id]),
    rulesOf(db, [mailbox.id]),
    typicalScore(db, scope, address, now),
    seenLately(db, scope, address, now),
  ])
  const rules = foreseeable(mailRules(mailbox.id), sender)
  const decision = decide(
    { sender, harm: null, score: typical.score, bulk: false, unreadable: false, rules },
    mailboxPolicy(mailbox, organisation),
    registerOf(entries, mailbox.id),
    { policy: organisation.policy, now: now.getTime() },
  )
  const shown = await briefs(db, entries)
  const path = decision.path.map(line => showLine(line, shown))
  return {
    from: question.from,
    state: decision.state,
    leftOut: decision.leftOut,
    // Where nothing is held back that is why it goes on, whatever was against it.
    decidedBy: decision.would === null ? decision.decidedBy : 'watching',
    path,
    authenticated,
    seen,
    score: typical.score,
    scoreFrom: typical.from,
    overruled: path.flatMap(({ overruled }) => overruled),
  }
}

/** A domain stands for anybody there. */
function readSender(text: string): Address {
  const address = parseAddress(text)
  if (address.ok) return address.value
  const domain = parseDomain(text.replace(/^@/, ''))
  if (domain.ok && !text.includes(' ')) {
    const anybody = parseAddress(`anybody@${domain.value}`)
    if (anybody.ok) return anybody.value
  }
  readPattern(text)
  throw new AppError('BAD_PATTERN', { problem: 'no-sender', text })
}

function readListId(text: string): string | null {
  if (text === '') return null
  const pattern = parsePattern(text.startsWith('<') ? text : `<${text}>`)
  return pattern.ok && pattern.value.kind === 'list' ? pattern.value.listId : null
}

async function typicalScore(
  db: Database,
  scope: Scope,
  { local, domain }: Address,
  now: Date,
): Promise<{ score: number; from: ReachAnswer['scoreFrom'] }> {
  const since = new Date(now.getTime() - 30 * day)
  for (const from of ['address', 'domain'] as const) {
    // The middle of the newest 51: one strange message must not speak for the sender.
    const row = await findRow<{ score: number | null }>(
      db,
      `SELECT MEDIAN(n.score) OVER () AS score FROM (
         SELECT d.score FROM message_senders s JOIN messages m ON m.id = s.message_id JOIN deliveries d ON d.message_id = m.id
         WHERE s.place = 'from' AND ${from === 'address' ? 's.address = :value' : 's.domain_key = :value'} AND m.received_at >= :since AND ${within(scope, 'd.mailbox_id')}
         ORDER BY d.id DESC LIMIT 51) n LIMIT 1`,
      {
        value: from === 'address' ? `${local}@${domain}` : `${domain.split('.').reverse().join('.')}.`,
        since,
      },
    )
    if (row && row.score !== null) return { score: Math.round(row.score * 10) / 10, from }
  }
  return { score: junkScore([]), from: 'nothing' }
}

async function seenLately(
  db: Database,
  scope: Scope,
  { local, domain }: Address,
  now: Date,
): Promise<ReachAnswer['seen']> {
  const toThem =
    scope === null
      ? ''
      : ` AND EXISTS (SELECT 1 FROM deliveries d WHERE d.message_id = m.id AND ${within(scope, 'd.mailbox_id')})`
  const rows = await select<{ facts: SenderFacts; n: number }>(
    db,
    `SELECT p.facts, c.n FROM (
       SELECT m.profile_id, COUNT(*) AS n FROM message_senders s JOIN messages m ON m.id = s.message_id
       WHERE s.place = 'from' AND s.address = :address AND m.received_at >= :since AND m.profile_id IS NOT NULL${toThem}
       GROUP BY m.profile_id) c JOIN sender_profiles p ON p.id = c.profile_id LIMIT 500`,
    { address: `${local}@${domain}`, since: new Date(now.getTime() - 30 * day) },
  )
  const proven = rows.filter(({ facts }) => isAuthenticated(domain, facts.authentication))
  const sum = (some: readonly { n: number }[]) => some.reduce((total, { n }) => total + n, 0)
  return { messages: sum(rows), authenticated: sum(proven) }
}
