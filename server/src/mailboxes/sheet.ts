import type { MailboxSheet } from '@pendro/contract'
import { dayOf, daysBefore } from '@pendro/core/calendar'
import { nextDigest } from '@pendro/core/digest'
import { findRow, select, type Database } from '../db/database.ts'
import { Enquiries } from '../db/models/whereabouts.ts'
import { MailRules } from '../db/models/mail-rules.ts'
import { StoreFolders } from '../db/models/stores.ts'
import { MailboxAddresses } from '../db/models/organisation.ts'
import {
  digestSchedule,
  findMailboxRow,
  readOrganisation,
  usualOf,
  type MailboxRow,
} from '../db/organisation.ts'
import { findAll, findOne } from '../db/rows.ts'
import { openStates } from '../deliveries/asked-for.ts'
import { awayTimes, waitsOf } from '../deliveries/expiry.ts'
import { lastChanceSql, looksOf, soonOf, unlookedSql } from '../deliveries/looks.ts'
import { endingSql, keptBackSql, undecidedSql } from '../deliveries/states-sql.ts'
import { AppError } from '../errors.ts'
import { countContacts } from './contacts.ts'
import { valueOf } from './settings.ts'

const lookedBack = 30
const day = 86_400_000

/** Everything about one colleague's mailbox. Throws MAILBOX_NOT_FOUND. */
export async function readSheetOf(db: Database, id: number, now: Date): Promise<MailboxSheet> {
  const [organisation, mailbox] = await Promise.all([readOrganisation(db), findMailboxRow(db, id)])
  if (!mailbox) throw new AppError('MAILBOX_NOT_FOUND')
  const waits = waitsOf((await awayTimes(db, [id])).get(id))
  const schedule = digestSchedule(mailbox, organisation, waits)
  const [who, away, days, going, entries, rules, folders, enquiries, looks, junkFolder] = await Promise.all([
    whoOf(db, mailbox),
    awayOf(db, mailbox),
    daysOf(db, id, dayOf(now.getTime(), organisation.timeZone)),
    goingOf(db, id, now),
    entriesOf(db, id, now),
    findAll(
      db,
      MailRules,
      { mailbox_id: id },
      { columns: ['id', 'name', 'switched_on'], order: [['place', 'ASC']] },
    ),
    foldersOf(db, mailbox, new Date(now.getTime() - lookedBack * day)),
    findAll(
      db,
      Enquiries,
      { mailbox_id: id, state: [...openStates] },
      { columns: ['id', 'words'], order: [['id', 'DESC']], limit: 10 },
    ),
    looksOf(db, id),
    junkFolderOf(db, id),
  ])
  return {
    mailbox: who,
    reply: await shownReply(db, mailbox),
    answered: await answeredBy(db, id),
    limits: await valueOf(db, mailbox, 'limits'),
    keeping: await valueOf(db, mailbox, 'keeping'),
    filtering: mailbox.filtering === 1,
    setAside: mailbox.uses_set_aside === 1,
    away,
    organisation: { limits: usualOf(mailbox.department, organisation).limits, keep: organisation.keep },
    digests: digestsOf(schedule, mailbox, now),
    days,
    kept: going.kept,
    going: { all: going.all, wanted: going.wanted },
    looks: {
      kept: looks.kept?.toISOString() ?? null,
      junk: looks.junk?.toISOString() ?? null,
      unlooked: going.unlooked,
      lastChance: going.lastChance,
      junkFolder,
    },
    junkShown: mailbox.junk_shown,
    reminders: mailbox.reminders,
    entries,
    contacts: await countContacts(db, id),
    rules: rules.map(({ id, name, switched_on }) => ({ id, name, on: switched_on === 1 })),
    folders,
    openEnquiries: enquiries.map(({ id, words }) => ({ id, words })),
  }
}

async function junkFolderOf(db: Database, id: number): Promise<MailboxSheet['looks']['junkFolder']> {
  const folder = await findOne(db, StoreFolders, { mailbox_id: id, kind: 'junk' })
  return folder && { total: folder.total, unread: folder.unread }
}

function digestsOf(
  schedule: ReturnType<typeof digestSchedule>,
  { digest_times, digest_weekdays }: MailboxRow,
  now: Date,
): MailboxSheet['digests'] {
  const next = nextDigest(schedule, now.getTime())
  return {
    times: [...schedule.times],
    weekdays: [...schedule.weekdays],
    usual: digest_times === null && digest_weekdays === null,
    next: next === null ? null : new Date(next).toISOString(),
  }
}

async function whoOf(db: Database, mailbox: MailboxRow): Promise<MailboxSheet['mailbox']> {
  const { id, name, address, department, kind, time_zone: timeZone, language } = mailbox
  const [addresses, minders] = await Promise.all([
    findAll(db, MailboxAddresses, { mailbox_id: id }, { columns: ['address'], order: [['address', 'ASC']] }),
    select<{ id: number; name: string }>(
      db,
      'SELECT b.id, b.name FROM minders m JOIN mailboxes b ON b.id = m.minder_id WHERE m.mailbox_id = :id ORDER BY b.name',
      { id },
    ),
  ])
  const aliases = addresses.map(one => one.address).filter(one => one !== address)
  const [to = null] =
    mailbox.closed_to_id === null
      ? []
      : await select<{ id: number; name: string }>(db, 'SELECT id, name FROM mailboxes WHERE id = :id', {
          id: mailbox.closed_to_id,
        })
  const closed = mailbox.closed_at && { at: mailbox.closed_at.toISOString(), to }
  return { id, name, address, aliases, department, kind, timeZone, language, minders, closed }
}

async function awayOf(db: Database, mailbox: MailboxRow): Promise<MailboxSheet['away']> {
  const away = await valueOf(db, mailbox, 'away')
  const readers = away.flatMap(({ digestsTo }) => digestsTo ?? [])
  const names = await select<{ id: number; name: string }>(
    db,
    'SELECT id, name FROM mailboxes WHERE id IN (:ids)',
    {
      ids: [0, ...readers],
    },
  )
  return away.map(one => ({
    ...one,
    digestsToName: names.find(({ id }) => id === one.digestsTo)?.name ?? '',
  }))
}

/** Kept back, released and missed by the day they were received; a day without mail is there, too. */
async function daysOf(db: Database, id: number, today: string): Promise<MailboxSheet['days']> {
  const first = daysBefore(today, lookedBack - 1)
  const rows = await select<{ day: string; kept: number; released: number; missed: number }>(
    db,
    `SELECT d.received_day AS day, SUM(d.state IN ${keptBackSql} OR d.state IN ('discarded', 'expired')) AS kept, SUM(d.state = 'released') AS released,
       SUM(m.called = 'junk' AND d.state NOT IN ${keptBackSql} AND d.state NOT IN ('discarded', 'expired')) AS missed
     FROM deliveries d JOIN messages m ON m.id = d.message_id
     WHERE d.mailbox_id = :id AND d.received_at >= :from AND d.received_day >= :first GROUP BY d.received_day`,
    // A day earlier than any zone's first, so that the key by time is used.
    { id, first, from: new Date(Date.parse(`${first}T00:00:00Z`) - day) },
  )
  const byDay = new Map(rows.map(row => [row.day, row]))
  return Array.from({ length: lookedBack }, (_, i) => {
    const on = daysBefore(first, -i)
    const row = byDay.get(on)
    return {
      day: on,
      keptBack: Number(row?.kept ?? 0) + Number(row?.released ?? 0),
      released: Number(row?.released ?? 0),
      missed: Number(row?.missed ?? 0),
    }
  })
}

async function shownReply(db: Database, mailbox: MailboxRow): Promise<MailboxSheet['reply']> {
  const { inside, outside, ...rest } = await valueOf(db, mailbox, 'reply')
  return { ...rest, inside: [...inside], outside: [...outside] }
}

async function answeredBy(db: Database, id: number): Promise<MailboxSheet['answered']> {
  const rows = await select<{ address: string; sent_at: Date }>(
    db,
    'SELECT address, sent_at FROM automatic_replies_sent WHERE mailbox_id = :id AND sent_at IS NOT NULL ORDER BY sent_at DESC LIMIT 10',
    { id },
  )
  return rows.map(({ address, sent_at }) => ({ address, at: sent_at.toISOString() }))
}

async function goingOf(db: Database, id: number, now: Date) {
  const row = await findRow<Record<'kept' | 'all' | 'wanted' | 'unlooked' | 'lastChance', number | null>>(
    db,
    `SELECT SUM(d.state IN ${undecidedSql}) AS kept, SUM(d.expires_at <= :soon) AS \`all\`,
       SUM(d.expires_at <= :soon AND d.points = 'wanted') AS wanted,
       SUM(${unlookedSql}) AS unlooked, SUM(${lastChanceSql}) AS lastChance
     FROM deliveries d LEFT JOIN mailbox_looks l ON l.mailbox_id = d.mailbox_id
     WHERE d.mailbox_id = :id AND d.state IN ${endingSql}`,
    { id, now, soon: soonOf(now) },
  )
  const of = (count: number | null | undefined) => Number(count ?? 0)
  return {
    kept: of(row?.kept),
    all: of(row?.all),
    wanted: of(row?.wanted),
    unlooked: of(row?.unlooked),
    lastChance: of(row?.lastChance),
  }
}

async function entriesOf(db: Database, id: number, now: Date): Promise<MailboxSheet['entries']> {
  const rows = await select<{ standing: 'safe' | 'blocked'; n: number }>(
    db,
    `SELECT standing, COUNT(*) AS n FROM sender_entries
     WHERE mailbox_id = :id AND ended_at IS NULL AND (until IS NULL OR until > :now) GROUP BY standing`,
    { id, now },
  )
  const of = (standing: string) => Number(rows.find(row => row.standing === standing)?.n ?? 0)
  return { safe: of('safe'), blocked: of('blocked') }
}

/** Folders that mail went to, that rules name, and that are not fetched; the fullest first. */
async function foldersOf(
  db: Database,
  { id, unfetched }: Pick<MailboxRow, 'id' | 'unfetched'>,
  since: Date,
): Promise<MailboxSheet['folders']> {
  const [rows, rules] = await Promise.all([
    select<{ folder: string; n: number }>(
      db,
      `SELECT folder, COUNT(*) AS n FROM deliveries WHERE mailbox_id = :id AND state = 'moved' AND received_at >= :since
         AND folder IS NOT NULL GROUP BY folder ORDER BY n DESC, folder LIMIT 50`,
      { id, since },
    ),
    findAll(db, MailRules, { mailbox_id: id }, { columns: ['action'] }),
  ])
  const counts = new Map(rows.map(({ folder, n }) => [folder, Number(n)]))
  const named = rules.flatMap(({ action: { place } }) => (place?.kind === 'folder' ? [place.folder] : []))
  for (const folder of [...named, ...(unfetched ?? [])]) if (!counts.has(folder)) counts.set(folder, 0)
  return [...counts].map(([folder, deliveries]) => ({
    folder,
    deliveries,
    fetched: !(unfetched ?? []).includes(folder),
  }))
}
