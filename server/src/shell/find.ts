import { beginningWith, containing } from '../db/like.ts'
import type { Found } from '@pendro/contract'
import { partyLikeness, readParty, trigrams } from '@pendro/core/whereabouts'
import { select, type Database } from '../db/database.ts'
import { within, type Scope } from '../db/scope.ts'
import { writtenTo } from '../deliveries/written-to.ts'
import { senderText } from '../intake/index-messages.ts'

const each = 5
/** Of messages that have the words, newest first, when only some colleagues' are wanted. */
const mostLookedAt = 2000

/** Whatever fits what is being typed, of each kind a few: colleagues, senders, entries, enquiries, messages. */
export async function findAnything(db: Database, scope: Scope, text: string): Promise<Found[]> {
  const find = containing(text)
  const begins = beginningWith(text)
  const [colleagues, entries, enquiries, messages, senders] = await Promise.all([
    select<Found>(
      db,
      `SELECT 'colleague' AS kind, b.id, b.name AS title, b.address AS more FROM mailboxes b
       WHERE ${within(scope, 'b.id')} AND (b.name LIKE :find OR EXISTS (SELECT 1 FROM mailbox_addresses a WHERE a.mailbox_id = b.id AND a.address LIKE :begins)) ORDER BY b.name LIMIT ${each}`,
      { find, begins },
    ),
    select<Found>(
      db,
      `SELECT 'entry' AS kind, e.id, e.pattern AS title, CONCAT(e.standing, IF(e.mailbox_id IS NULL, '', CONCAT(' · ', b.name))) AS more
       FROM sender_entries e LEFT JOIN mailboxes b ON b.id = e.mailbox_id WHERE e.ended_at IS NULL AND e.pattern LIKE :begins
         AND (e.mailbox_id IS NULL OR ${within(scope, 'e.mailbox_id')}) ORDER BY e.pattern LIMIT ${each}`,
      { begins },
    ),
    select<Found>(
      db,
      `SELECT 'enquiry' AS kind, e.id, e.words AS title, CONCAT(b.name, ' · ', e.state) AS more FROM enquiries e JOIN mailboxes b ON b.id = e.mailbox_id
       WHERE (e.words LIKE :find OR b.name LIKE :find) AND ${within(scope, 'e.mailbox_id')} ORDER BY e.id DESC LIMIT ${each}`,
      { find },
    ),
    newestMessages(db, scope, text),
    likeSenders(db, scope, text),
  ])
  return [...colleagues, ...senders, ...entries, ...enquiries, ...messages]
}

async function newestMessages(db: Database, scope: Scope, text: string): Promise<Found[]> {
  const words = (text.match(/[\p{L}\p{N}]{3,}/gu) ?? []).slice(0, 6)
  if (words.length === 0) return []
  return select<Found>(
    db,
    `SELECT 'message' AS kind, d.id, d.subject AS title, CONCAT(d.from_address, ' · ', b.name) AS more FROM (
       SELECT message_id FROM message_words WHERE MATCH (words) AGAINST (:query IN BOOLEAN MODE) ORDER BY message_id DESC LIMIT ${scope === null ? 20 : mostLookedAt}) w
     JOIN deliveries d ON d.message_id = w.message_id JOIN mailboxes b ON b.id = d.mailbox_id
     WHERE ${within(scope, 'd.mailbox_id')} ORDER BY d.id DESC LIMIT ${each}`,
    { query: words.map(word => `+${word}*`).join(' ') },
  )
}

async function likeSenders(db: Database, scope: Scope, text: string): Promise<Found[]> {
  const groups = trigrams(senderText(text, '')).slice(0, 16)
  if (groups.length === 0) return []
  const rows = await select<{ id: number; address: string; name: string }>(
    db,
    `SELECT s.id, s.address, s.name FROM (SELECT sender_id, COUNT(*) AS n FROM sender_trigrams WHERE trigram IN (:groups)
       GROUP BY sender_id ORDER BY n DESC LIMIT 40) t JOIN known_senders s ON s.id = t.sender_id`,
    { groups },
  )
  const typed = readParty(text)
  const known = await writtenTo(
    db,
    scope,
    rows.map(({ address }) => address),
  )
  const alike = rows
    .filter(({ address }) => known(address))
    .map(row => ({ row, likeness: partyLikeness(typed, row).likeness }))
    .sort((a, b) => b.likeness - a.likeness)
  // Beside a good match a poor one only stands in the way.
  const least = Math.max(0.6, (alike[0]?.likeness ?? 0) - 0.15)
  return alike
    .filter(({ likeness }) => likeness >= least)
    .slice(0, each)
    .map(({ row }) => ({
      kind: 'sender' as const,
      id: row.id,
      title: row.name || row.address,
      more: row.address,
    }))
}
