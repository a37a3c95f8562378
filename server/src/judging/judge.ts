import type { DeliverySheet, EntryBrief, PathLineShape, SaidByRule } from '@pendro/contract'
import type { Address } from '@pendro/core/address'
import { pointing, type Pointing } from '@pendro/core/delivery'
import {
  decide,
  findHarm,
  isBulk,
  junkScore,
  senderFacts,
  weighForMailbox,
  weighMessage,
  weighUnreadable,
  type Decision,
  type DeliveryFacts,
  type Evidence,
  type PathLine,
  isSharedProvider,
} from '@pendro/core/judgement'
import { matchingRules, type RuleVerdict, type RuleView } from '@pendro/core/mail-rules'
import { ruleView, type Message } from '@pendro/core/message'
import {
  candidateTexts,
  noAuthentication,
  type Authentication,
  type SenderEntry,
  type SenderFacts,
} from '@pendro/core/senders'
import type { Database, Tx } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import type { DeliveryJudgements } from '../db/models/deliveries.ts'
import { mailboxPolicy, type MailboxRow, type Organisation } from '../db/organisation.ts'
import { briefs, entriesFor } from '../lists/entries.ts'
import { loadKnowledge, type Knowledge } from './knowledge.ts'
import { rulesOf } from './mail-rules.ts'
import { weightsInUse } from './weights.ts'

/** A message as it came in, read. `message` is `null` when it could not be. */
export interface Arrival {
  readonly message: Message | null
  readonly problem: string | null
  readonly envelopeFrom: Address | null
  readonly receivedAt: Date
  /** Bytes. */
  readonly size: number
  /** What we found out ourselves, where no trusted host had checked. */
  readonly authentication: Authentication
  readonly mailboxes: readonly MailboxRow[]
}

export interface JudgedDelivery {
  readonly mailbox: MailboxRow
  readonly evidence: readonly Evidence[]
  /** Version of the weights it was weighed with. */
  readonly weights: number
  readonly score: number
  /** Mail rules that match, in their order. */
  readonly rules: readonly RuleVerdict[]
  readonly decision: Decision
  readonly path: readonly PathLineShape[]
}

export interface Judged {
  readonly sender: SenderFacts
  readonly harm: DeliveryFacts['harm']
  readonly bulk: boolean
  readonly deliveries: readonly JudgedDelivery[]
}

/** Judges a batch of arrivals with what is known at its start; one SMTP message is a batch of one. */
export async function judgeArrivals(
  db: Database,
  organisation: Organisation,
  arrivals: readonly Arrival[],
  tx?: Tx,
): Promise<readonly Judged[]> {
  const senders = arrivals.map(({ message, envelopeFrom, authentication }) =>
    message
      ? senderFacts(message, envelopeFrom, authentication)
      : { from: [], envelopeFrom, sender: null, listId: null, authentication: noAuthentication },
  )
  const mailboxIds = [...new Set(arrivals.flatMap(({ mailboxes }) => mailboxes.map(({ id }) => id)))]
  const messages = arrivals.flatMap(({ message }) => message ?? [])
  // Outside of a transaction they go by several connections at once.
  const [knowledge, entries, mailRules] = await Promise.all([
    loadKnowledge(db, messages, senders, tx),
    entriesFor(db, [...new Set(senders.flatMap(candidateTexts))], mailboxIds, { tx }),
    rulesOf(db, mailboxIds, tx),
  ])
  const bench: Bench = {
    organisation,
    knowledge,
    knownDomains: knownDomainsOf(organisation, knowledge),
    entries,
    mailRules,
    shown: await briefs(db, entries, tx),
  }
  return arrivals.map((arrival, i) => judgeArrival(arrival, senders[i] as SenderFacts, bench))
}

/** All that judging needs beside the message itself. */
interface Bench {
  readonly organisation: Organisation
  readonly knowledge: Knowledge
  readonly knownDomains: readonly string[]
  readonly entries: readonly SenderEntry[]
  readonly mailRules: Awaited<ReturnType<typeof rulesOf>>
  readonly shown: ReadonlyMap<number, EntryBrief>
}

const known = new WeakMap<readonly string[], { organisation: Organisation; domains: readonly string[] }>()

/** Domains an impostor would resemble. The same list as long as nothing changes: what is prepared from it is kept with it. */
function knownDomainsOf(organisation: Organisation, { frequentDomains }: Knowledge): readonly string[] {
  const held = known.get(frequentDomains)
  if (held?.organisation === organisation) return held.domains
  const { policy } = organisation
  const domains = [
    ...policy.ownDomains,
    ...frequentDomains.filter(domain => !isSharedProvider(domain, policy)),
  ]
  known.set(frequentDomains, { organisation, domains })
  return domains
}

function judgeArrival(arrival: Arrival, sender: SenderFacts, bench: Bench): Judged {
  const { message, problem, receivedAt, mailboxes, size } = arrival
  const { organisation, knowledge, knownDomains } = bench
  const { policy } = organisation
  const harm = message ? findHarm(message.attachments, policy.forbidden) : null
  const bulk = message ? isBulk(message) : false
  const context = {
    policy,
    text: knowledge.text,
    knownDomains,
    recipients: mailboxes.length,
    receivedAt: receivedAt.getTime(),
    weights: weightsInUse(organisation),
  }
  const shared = message
    ? weighMessage({ message, sender, context: { ...context, knowledge: knowledge.sender(message, sender) } })
    : weighUnreadable(problem ?? '', context.weights)
  // Made only when somebody has a rule to ask.
  let view: RuleView | null = null
  const weights = organisation.weights?.version ?? 0
  const deliveries = mailboxes.map(mailbox => {
    const own = message
      ? weighForMailbox(knowledge.nearness(mailbox.id, message), sender, context.weights)
      : []
    const evidence = [...shared, ...own]
    const score = junkScore(evidence)
    const asked = bench.mailRules(mailbox.id)
    const rules = message && asked.length > 0 ? matchingRules(asked, (view ??= ruleView(message, size))) : []
    const decision = decide(
      { sender, harm, score, bulk, unreadable: message === null, rules },
      mailboxPolicy(mailbox, organisation),
      registerOf(bench.entries, mailbox.id),
      { policy, now: receivedAt.getTime() },
    )
    const path = decision.path.map(line => showLine(line, bench.shown))
    return { mailbox, evidence, weights, score, rules, decision, path }
  })
  return { sender, harm, bulk, deliveries }
}

export function registerOf(entries: readonly SenderEntry[], mailboxId: number) {
  return {
    organisation: entries.filter(({ owner }) => owner.kind === 'organisation'),
    mailbox: entries.filter(({ owner }) => owner.kind === 'mailbox' && owner.mailboxId === mailboxId),
  }
}

type KeptEvidence = RowOf<typeof DeliveryJudgements>['evidence']

/** A finding as it is kept, as it is shown: what it was read from has names. */
export const shownEvidence = ({
  finding,
  weight,
  facts,
  raw = [],
}: KeptEvidence[number]): DeliverySheet['evidence'][number] => ({
  finding,
  weight,
  facts: { ...facts },
  raw: raw.map(([name, text, code, more]) => ({ name, text, code, facts: more && { ...more } })),
})

/** A path line as it is kept and shown: entries by their pattern and owner as of now. */
export function showLine(line: PathLine, shown: ReadonlyMap<number, EntryBrief>): PathLineShape {
  const named = (entry: SenderEntry): EntryBrief => shown.get(entry.id) as EntryBrief
  const plain = {
    stage: line.stage,
    outcome: line.outcome,
    facts: {},
    decided: null,
    overruled: [],
    refused: [],
  }
  switch (line.stage) {
    case 'harm':
      return line.outcome === 'decided'
        ? { ...plain, facts: { name: line.name, danger: line.danger } }
        : plain
    case 'rules':
      return { ...plain, rules: line.rules.slice(0, 5).map(said => saidOf(said, said.hold ?? 'let-in')) }
    case 'placing':
      return { ...plain, rules: line.rules.slice(0, 5).map(said => saidOf(said, said.place ?? 'important')) }
    case 'switched-off':
      return plain
    case 'watching':
      return line.would === null ? plain : { ...plain, facts: { would: line.would } }
    case 'score':
      return { ...plain, facts: { score: line.score, limit: line.limit, verdict: line.verdict } }
    default:
      return {
        ...plain,
        decided: line.decided && named(line.decided),
        overruled: line.overruled.map(named),
        refused: line.refused.map(({ entry, why }) => ({ entry: named(entry), why })),
      }
  }
}

const saidOf = (
  { id, name, owner, folder, important }: RuleVerdict,
  place: SaidByRule['place'],
): SaidByRule => ({
  id,
  name,
  place,
  folder: place === 'moved' ? folder : '',
  ...(important && place !== 'important' && place !== 'let-in' && place !== 'junk' && place !== 'discarded'
    ? { important }
    : {}),
  ...(owner === 'organisation' ? { owner } : {}),
})

/** Where the evidence of a judged or kept delivery points; of what is kept with it, so that it points the same way later. */
export function pointsOf({
  score,
  evidence,
  path,
}: {
  readonly score: number
  readonly evidence: readonly Pick<Evidence, 'finding'>[]
  readonly path: readonly PathLineShape[]
}): Pointing {
  const verdict = path.find(({ stage }) => stage === 'score')?.facts.verdict
  return pointing({
    score,
    findings: new Set(evidence.map(({ finding }) => finding)),
    path,
    verdict: isVerdict(verdict) ? verdict : 'under',
  })
}

const verdicts = ['under', 'aside', 'junk', 'quarantined', 'near-certain', 'unreadable'] as const
const isVerdict = (text: unknown): text is (typeof verdicts)[number] =>
  verdicts.some(verdict => verdict === text)
