import { ownParts, type OwnPart, type SettingChange } from '@pendro/contract'
import { isInNetworks } from '@pendro/core/authentication'
import { patternText } from '@pendro/core/senders'
import { findRow, select, type Database } from '../db/database.ts'
import type { Organisation } from '../db/organisation.ts'
import { domainKey } from '../lists/domain-key.ts'
import { countWaiting } from '../outbox/queue.ts'
import { lookedBack } from './effect.ts'
import { checkSetting } from './setting-checks.ts'
import { readSetting } from './setting-values.ts'

const day = 86_400_000

/** What a change is about, in numbers by name; what is nothing is left out. */
export async function settingEffect(
  db: Database,
  organisation: Organisation,
  asked: SettingChange,
  now: Date,
): Promise<Readonly<Record<string, number>>> {
  const change = readSetting(asked, organisation)
  await checkSetting(db, organisation, change)
  const since = new Date(now.getTime() - lookedBack * day)
  const facts = await factsOf(db, organisation, change, since)
  return Object.fromEntries(Object.entries(facts).filter(([, n]) => n !== 0))
}

function factsOf(
  db: Database,
  organisation: Organisation,
  change: SettingChange,
  since: Date,
): Promise<Readonly<Record<string, number>>> | Readonly<Record<string, number>> {
  switch (change.what) {
    case 'own-domains':
      return ofDomains(db, change, since)
    case 'gateways':
      return ofNetworks(db, change.was.networks, change.to.networks, since)
    case 'stores':
      return ofNetworks(db, change.was, change.to, since)
    case 'peers':
      return change.to.others === 'refused' ? ofStrangers(db, organisation, since) : {}
    case 'routes':
      return countWaiting(db).then(waiting => ({ waiting }))
    case 'providers':
      return ofProviders(db, change)
    case 'digest-times':
      return ofDigests(db)
    case 'second-factor':
      return change.to === 'required' ? ofFactors(db) : {}
    case 'identity-provider':
      return ofProvider(db, change)
    case 'own-pages':
      return ofOwnPages(db, change)
    case 'outgoing':
    case 'name':
    case 'letters':
    case 'standby':
    case 'moves':
    case 'reaching-out':
    case 'directory':
    case 'forbidden':
    case 'addresses':
      return {}
  }
}

/** Mailboxes that would be outside, and mail that claims to come from domains that come to be ours. */
async function ofDomains(
  db: Database,
  { was, to }: { readonly was: readonly string[]; readonly to: readonly string[] },
  since: Date,
): Promise<Readonly<Record<string, number>>> {
  const gone = was.filter(domain => !to.includes(domain))
  const come = to.filter(domain => !was.includes(domain))
  const outside =
    gone.length === 0
      ? null
      : await findRow<{ n: number }>(
          db,
          "SELECT COUNT(*) AS n FROM mailboxes WHERE SUBSTRING_INDEX(address, '@', -1) IN (:gone)",
          { gone },
        )
  const claimed =
    come.length === 0
      ? null
      : await findRow<{ n: number; unproven: number | null }>(
          db,
          `SELECT COUNT(*) AS n, SUM(JSON_VALUE(m.sender_facts, '$.authentication.dmarc.result') <> 'pass') AS unproven
           FROM message_senders s JOIN messages m ON m.id = s.message_id
           WHERE s.place = 'from' AND s.domain_key IN (:keys) AND m.received_at >= :since`,
          { keys: come.map(domainKey), since },
        )
  return {
    outside: outside?.n ?? 0,
    claimed: claimed?.n ?? 0,
    unproven: Number(claimed?.unproven ?? 0),
  }
}

/** Messages that nobody listed handed over: they would be refused. */
async function ofStrangers(
  db: Database,
  { policy: { gateways = [], stores = [] } }: Organisation,
  since: Date,
): Promise<Readonly<Record<string, number>>> {
  const { listed: strange } = await ofNetworks(db, [...gateways, ...stores], ['0.0.0.0/0', '::/0'], since)
  return { strange: strange ?? 0 }
}

/** Messages by who handed them over: from networks that come to be listed, and that are listed no more. */
async function ofNetworks(
  db: Database,
  was: readonly string[],
  to: readonly string[],
  since: Date,
): Promise<Readonly<Record<string, number>>> {
  const rows = await select<{ client_ip: string; n: number }>(
    db,
    "SELECT client_ip, COUNT(*) AS n FROM messages WHERE direction = 'in' AND received_at >= :since AND client_ip <> '' GROUP BY client_ip LIMIT 10000",
    { since },
  )
  const facts = { listed: 0, unlisted: 0 }
  for (const { client_ip, n } of rows) {
    const [before, after] = [isInNetworks(client_ip, was), isInNetworks(client_ip, to)]
    if (!before && after) facts.listed += n
    if (before && !after) facts.unlisted += n
  }
  return facts
}

/** Safe entries for whole domains where anybody can be. */
async function ofProviders(
  db: Database,
  { was, to }: Extract<SettingChange, { what: 'providers' }>,
): Promise<Readonly<Record<string, number>>> {
  const come = to.shared.filter(domain => !was.shared.includes(domain))
  if (come.length === 0) return {}
  const row = await findRow<{ n: number }>(
    db,
    "SELECT COUNT(*) AS n FROM sender_entries WHERE standing = 'safe' AND ended_at IS NULL AND pattern IN (:patterns)",
    {
      patterns: come.flatMap(domain =>
        (['domain', 'subtree'] as const).map(kind => patternText({ kind, domain })),
      ),
    },
  )
  return { safe: row?.n ?? 0 }
}

/** Staffers who would have to add one before anything else. */
async function ofFactors(db: Database): Promise<Readonly<Record<string, number>>> {
  const row = await findRow<{ n: number }>(
    db,
    `SELECT COUNT(*) AS n FROM staffers s WHERE s.suspended_at IS NULL AND NOT s.is_program
       AND NOT EXISTS (SELECT 1 FROM staffer_factors f WHERE f.staffer_id = s.id)`,
  )
  return { without: row?.n ?? 0 }
}

/** Mailboxes with something of their own that their colleague could change no more; it stays. */
async function ofOwnPages(
  db: Database,
  { was, to }: Extract<SettingChange, { what: 'own-pages' }>,
): Promise<Readonly<Record<string, number>>> {
  const counted = await Promise.all(
    ownParts.map(async part => {
      const [before, after] = [mayIn(was, part, 'before'), mayIn(to, part, 'after')]
      const row = await findRow<{ n: number }>(
        db,
        `SELECT COUNT(*) AS n FROM mailboxes b
         WHERE b.closed_at IS NULL AND ${before.sql} AND NOT ${after.sql} AND ${hasOwn[part]}`,
        { before: before.unlike, after: after.unlike },
      )
      return [part, row?.n ?? 0] as const
    }),
  )
  return Object.fromEntries(counted)
}

type OwnPages = Extract<SettingChange, { what: 'own-pages' }>['to']

/** Whether the colleague of a mailbox may, as a condition; `unlike`: departments that differ, for the value of that name. */
function mayIn({ all, departments }: OwnPages, part: OwnPart, name: string) {
  const unlike = departments.filter(({ may }) => may[part] !== all[part]).map(({ department }) => department)
  // A list in SQL can't be empty, and no department has a name like this.
  return {
    sql: `((b.department IN (:${name})) ${all[part] ? '=' : '<>'} 0)`,
    unlike: [...unlike, '\n'],
  }
}

/** What a mailbox has of its own, by what would have made it. */
const hasOwn: Readonly<Record<OwnPart, string>> = {
  digests: '(b.digest_times IS NOT NULL OR b.digest_weekdays IS NOT NULL)',
  senders: 'EXISTS (SELECT 1 FROM sender_entries e WHERE e.mailbox_id = b.id AND e.ended_at IS NULL)',
  away: 'EXISTS (SELECT 1 FROM away_periods p WHERE p.mailbox_id = b.id AND p.until_at > UTC_TIMESTAMP())',
  rules: 'EXISTS (SELECT 1 FROM mail_rules r WHERE r.mailbox_id = b.id)',
}

/** Staffers who could come in no more: by no password, and with no account there and no passkey. */
async function ofProvider(
  db: Database,
  { was, to }: Extract<SettingChange, { what: 'identity-provider' }>,
): Promise<Readonly<Record<string, number>>> {
  const moved = was.issuer !== '' && was.issuer !== to.issuer
  const row = await findRow<{ n: number; connected: number }>(
    db,
    `SELECT SUM(y.staffer_id IS NULL AND NOT EXISTS (SELECT 1 FROM staffer_factors f WHERE f.staffer_id = s.id AND f.kind = 'passkey')) AS n,
       SUM(y.staffer_id IS NOT NULL) AS connected
     FROM staffers s LEFT JOIN staffer_identities y ON y.staffer_id = s.id WHERE s.suspended_at IS NULL AND NOT s.is_program`,
  )
  return {
    without: to.passwords ? 0 : Number(row?.n ?? 0),
    apart: moved ? Number(row?.connected ?? 0) : 0,
  }
}

async function ofDigests(db: Database): Promise<Readonly<Record<string, number>>> {
  const row = await findRow<{ n: number }>(
    db,
    'SELECT COUNT(*) AS n FROM mailboxes WHERE digest_times IS NULL AND digest_weekdays IS NULL',
  )
  return { follow: row?.n ?? 0 }
}
