import type { Message } from '@pendro/core/message'
import { fold, trigrams } from '@pendro/core/whereabouts'
import { execute, inTransaction, select, type Database, type Tx } from '../db/database.ts'
import { MessageWords } from '../db/models/messages.ts'
import { insert } from '../db/rows.ts'
import { shownFrom } from '../reading/shown-from.ts'

interface Indexed {
  readonly id: number
  /** `null` when it could not be read. */
  readonly message: Message | null
}

/** So much of a text is found by its words: people ask by the subject, or by what a mail begins with. */
const indexedText = 200

/** So many letters of attachments' names. */
const indexedNames = 200

function wordsOfMessage(message: Message | null): string {
  if (!message) return ''
  const names = message.attachments.filter(({ inline }) => !inline).map(({ name }) => name)
  // An underscore would make one word of a file's name.
  const plainNames = names
    .join(' ')
    .replace(/[^\p{L}\p{N}]+/gu, ' ')
    .slice(0, indexedNames)
  const beginning = message.text.slice(0, indexedText).replace(/\s+/g, ' ')
  const { subject, from_name } = shownFrom(message)
  return fold(`${subject} ${from_name} ${plainNames} ${beginning}`).slice(0, 900)
}

/** Makes messages findable by their words and senders, in the transaction that stores them. */
export async function indexMessages(db: Database, tx: Tx, messages: readonly Indexed[]): Promise<void> {
  await insert(
    db,
    MessageWords,
    messages.map(({ id, message }) => ({ message_id: id, words: wordsOfMessage(message) })),
    tx,
  )
  const parties = new Map(
    messages
      .map(({ message }) => shownFrom(message))
      .filter(({ from_address }) => from_address !== '')
      .map(
        ({ from_address: address, from_name: name }) => [`${address}\n${name}`, { address, name }] as const,
      ),
  )
  if (parties.size === 0) return
  // In one order everywhere, so that two intakes wait for each other instead of deadlocking.
  const sorted = [...parties].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, party]) => party)
  for (let i = 0; i < sorted.length; i += 200) await noteSenders(db, tx, sorted.slice(i, i + 200))
}

async function noteSenders(
  db: Database,
  tx: Tx,
  parties: readonly { readonly address: string; readonly name: string }[],
): Promise<void> {
  const values = Object.fromEntries(
    parties.flatMap(({ address, name }, i) => [
      [`a${i}`, address],
      [`n${i}`, name],
      [`w${i}`, fold(senderText(name, address)).replace(/[@._+-]/g, ' ')],
    ]),
  )
  const pairs = parties.map((_, i) => `(:a${i}, :n${i})`).join(',')
  const known = await select<{ address: string; name: string }>(
    db,
    `SELECT address, name FROM known_senders WHERE (address, name) IN (${pairs})`,
    values,
    tx,
  )
  const seen = new Set(known.map(({ address, name }) => `${address}\n${name}`))
  if (parties.every(({ address, name }) => seen.has(`${address}\n${name}`))) return
  const added = await select<{ id: number; address: string; name: string }>(
    db,
    `INSERT IGNORE INTO known_senders (address, name, words) VALUES ${parties.map((_, i) => `(:a${i}, :n${i}, :w${i})`).join(',')} RETURNING id, address, name`,
    values,
    tx,
  )
  await addTrigrams(db, tx, added)
}

/** Senders a migration took over from before, some at a time; how many there were. */
export function indexOldSenders(db: Database): Promise<number> {
  return inTransaction(db, async tx => {
    const old = await select<{ id: number; address: string; name: string }>(
      db,
      'SELECT id, address, name FROM known_senders WHERE NOT indexed ORDER BY id LIMIT 500 FOR UPDATE SKIP LOCKED',
      {},
      tx,
    )
    if (old.length === 0) return 0
    await addTrigrams(db, tx, old)
    await execute(
      db,
      'UPDATE known_senders SET indexed = TRUE WHERE id IN (:ids)',
      { ids: old.map(({ id }) => id) },
      tx,
    )
    return old.length
  })
}

async function addTrigrams(
  db: Database,
  tx: Tx,
  senders: readonly { readonly id: number; readonly address: string; readonly name: string }[],
): Promise<void> {
  const rows = senders.flatMap(({ id, address, name }) =>
    trigrams(senderText(name, address)).map(trigram => ({ trigram, sender_id: id })),
  )
  for (let i = 0; i < rows.length; i += 2000) {
    const part = rows.slice(i, i + 2000)
    await execute(
      db,
      `INSERT IGNORE INTO sender_trigrams (trigram, sender_id) VALUES ${part.map((_, n) => `(:t${n}, :s${n})`).join(',')}`,
      Object.fromEntries(
        part.flatMap(({ trigram, sender_id }, n) => [
          [`t${n}`, trigram],
          [`s${n}`, sender_id],
        ]),
      ),
      tx,
    )
  }
}

/** What a sender is found by: without the last label of the domain, which says nothing. */
export function senderText(name: string, address: string): string {
  return `${name} ${address.replace(/\.[^.@]+$/, '')}`
}
