import type { ChangeEffect, DefaultsChange } from '@pendro/contract'
import { junkScore, reweighed, type Evidence, type Limits, type MailboxPolicy } from '@pendro/core/judgement'
import { policyReach, type PolicyReach, type SeenOne } from '@pendro/core/mailboxes'
import { candidateTexts } from '@pendro/core/senders'
import { weightsWith } from '@pendro/core/weights'
import { select, type Database } from '../db/database.ts'
import { usualOf, type Organisation } from '../db/organisation.ts'
import { tablesOf, weightsInUse } from '../judging/weights.ts'
import { entriesFor } from '../lists/entries.ts'
import { newestSeen } from '../lists/seen.ts'
import { lookedBack, shownReach } from './effect.ts'

const day = 86_400_000
/** What can't be picked out by its score is looked at up to so many of the newest. */
const newest = 20_000
/** Evidence is some kilobytes a delivery: read so many at a time. */
const weighedAtOnce = 1000

/** Which part of a long replay is asked for. */
export interface Part {
  /** The part before this delivery; without it the newest one. */
  readonly before: number | null
  /** Deliveries in one part. */
  readonly atOnce: number
}

interface Asked extends Part {
  readonly now: Date
}

/** Decides mail of the last 30 days as a change would have it; `null` where the change decides nothing. */
export async function replayOf(
  db: Database,
  organisation: Organisation,
  change: DefaultsChange,
  asked: Asked,
): Promise<ChangeEffect['replay']> {
  switch (change.what) {
    case 'keeping':
    case 'header-days':
      return null
    case 'limits':
      return replayLimits(db, organisation, { was: organisation.limits, is: change.to, of: null }, asked)
    case 'department-limits': {
      const { limits: was } = usualOf(change.department, organisation)
      return replayLimits(
        db,
        organisation,
        { was, is: change.to ?? organisation.limits, of: change.department },
        asked,
      )
    }
    case 'watching':
      return replayWatching(db, organisation, { to: change.to, of: null }, asked)
    case 'department-watching':
      return replayWatching(
        db,
        organisation,
        { to: change.to ?? organisation.watching ?? false, of: change.department },
        asked,
      )
    case 'weights':
      return replayWeights(db, organisation, change.to.own, asked)
  }
}

async function replayLimits(
  db: Database,
  organisation: Organisation,
  { was, is, of }: { readonly was: Limits; readonly is: Limits; readonly of: string | null },
  { now, before, atOnce }: Asked,
): Promise<ChangeEffect['replay']> {
  const mailboxIds = of === null ? null : await mailboxesOf(db, of, 'limit_junk IS NULL')
  const found = await newestSeen(db, organisation, {
    since: since(now),
    mailboxIds,
    limit: atOnce,
    before,
    between: { was, is },
  })
  // Of the organisation: a mailbox or department with its own stays where it is.
  const after =
    of === null
      ? ({ mailboxId }: MailboxPolicy) => found.policyOf(mailboxId, is)
      : (mailbox: MailboxPolicy) => ({ ...mailbox, limits: is })
  return shown(db, organisation, found, { after, now })
}

/** From watching to holding, or back: what would be kept back that is not, or the other way round. */
async function replayWatching(
  db: Database,
  organisation: Organisation,
  { to, of }: { readonly to: boolean; readonly of: string | null },
  { now, before, atOnce }: Asked,
): Promise<ChangeEffect['replay']> {
  const mailboxIds = of === null ? await mailboxesThatFollow(db, organisation) : await mailboxesOf(db, of)
  const found = await newestSeen(db, organisation, {
    since: since(now),
    mailboxIds,
    limit: atOnce,
    before,
    atMost: newest,
  })
  const seen = found.seen.map(one => ({ ...one, mailbox: { ...one.mailbox, watching: !to } }))
  return shown(
    db,
    organisation,
    { ...found, seen },
    { after: mailbox => ({ ...mailbox, watching: to }), now },
  )
}

async function replayWeights(
  db: Database,
  organisation: Organisation,
  own: Readonly<Record<string, number | undefined>>,
  { now, before, atOnce }: Asked,
): Promise<ChangeEffect['replay']> {
  const found = await newestSeen(db, organisation, {
    since: since(now),
    mailboxIds: null,
    limit: Math.min(atOnce, weighedAtOnce),
    before,
    atMost: newest,
  })
  const scores = await weighedAgain(
    db,
    organisation,
    own,
    found.seen.map(({ deliveryId }) => deliveryId),
  )
  const seen = found.seen.map(one => {
    const score = scores.get(one.deliveryId)?.was ?? one.facts.score
    return { ...one, facts: { ...one.facts, score } }
  })
  const scoreAfter = ({ deliveryId, facts }: SeenOne) => scores.get(deliveryId)?.is ?? facts.score
  return shown(db, organisation, { ...found, seen }, { after: mailbox => mailbox, scoreAfter, now })
}

/** Scores by the weights in use and by others, of evidence as it was found when the mail came in. */
async function weighedAgain(
  db: Database,
  organisation: Organisation,
  own: Readonly<Record<string, number | undefined>>,
  ids: readonly number[],
): Promise<ReadonlyMap<number, { readonly was: number; readonly is: number }>> {
  if (ids.length === 0) return new Map()
  const rows = await select<{ delivery_id: number; evidence: readonly Evidence[]; weights: number }>(
    db,
    'SELECT delivery_id, evidence, weights FROM delivery_judgements WHERE delivery_id IN (:ids)',
    { ids },
  )
  const tableOf = await tablesOf(
    db,
    rows.map(({ weights }) => weights),
  )
  const [inUse, other] = [weightsInUse(organisation), weightsWith(own)]
  return new Map(
    rows.map(({ delivery_id, evidence, weights }) => {
      const scoreBy = (table: typeof inUse) => junkScore(reweighed(evidence, tableOf(weights), table))
      return [delivery_id, { was: scoreBy(inUse), is: scoreBy(other) }]
    }),
  )
}

const since = (now: Date) => new Date(now.getTime() - lookedBack * day)

async function mailboxesOf(db: Database, department: string, where = 'TRUE'): Promise<readonly number[]> {
  const rows = await select<{ id: number }>(
    db,
    `SELECT id FROM mailboxes WHERE department = :department AND ${where}`,
    {
      department,
    },
  )
  // Nobody at all is not everybody.
  return rows.length === 0 ? [0] : rows.map(({ id }) => id)
}

/** `null`: all of them, since no department says otherwise. */
async function mailboxesThatFollow(
  db: Database,
  { departments = {} }: Organisation,
): Promise<readonly number[] | null> {
  const apart = Object.entries(departments).flatMap(([name, { watching }]) =>
    watching === undefined ? [] : [name],
  )
  if (apart.length === 0) return null
  const rows = await select<{ id: number }>(db, 'SELECT id FROM mailboxes WHERE department NOT IN (:apart)', {
    apart,
  })
  return rows.length === 0 ? [0] : rows.map(({ id }) => id)
}

interface After {
  readonly after: (before: MailboxPolicy) => MailboxPolicy
  readonly scoreAfter?: (one: SeenOne) => number
  readonly now: Date
}

async function shown(
  db: Database,
  organisation: Organisation,
  { seen, of, fit, next }: Omit<Awaited<ReturnType<typeof newestSeen>>, 'policyOf'>,
  { after, scoreAfter, now }: After,
): Promise<ChangeEffect['replay']> {
  const texts = new Set(seen.flatMap(({ facts }) => candidateTexts(facts.sender)))
  const mailboxIds = [...new Set(seen.map(({ mailbox }) => mailbox.mailboxId))]
  const register = await entriesFor(db, [...texts], mailboxIds)
  const reach: PolicyReach = policyReach(seen, after, register, {
    policy: organisation.policy,
    now: now.getTime(),
    scoreAfter,
  })
  return { ...(await shownReach(db, reach, of)), part: { decided: seen.length, of: fit, next } }
}
