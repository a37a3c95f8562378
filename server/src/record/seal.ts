import { createHash } from 'node:crypto'
import { findRow, inTransaction, select, type Database, type Tx } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import { RecordSeals, RecordUnsealed } from '../db/models/record.ts'
import { insert, remove } from '../db/rows.ts'

/** What an entry says, as it is hashed. The facts stay the text they are stored as. */
const said = `e.id, DATE_FORMAT(e.at, '%Y-%m-%dT%H:%i:%s.%f') AS at, e.act, e.by_kind, e.by_id, e.by_name, e.mailbox_id,
  e.delivery_id, e.ruling_id, e.reason, CAST(e.facts AS CHAR) AS facts`
const fields = [
  'id',
  'at',
  'act',
  'by_kind',
  'by_id',
  'by_name',
  'mailbox_id',
  'delivery_id',
  'ruling_id',
  'reason',
  'facts',
] as const
type Said = Readonly<Record<(typeof fields)[number], string | number | null>>

/** Before the first. */
const origin = Buffer.alloc(32)

/** SHA-256 (FIPS 180-4) over the hash before and the entry's fields as JSON (RFC 8259), in their order. */
export const sealOf = (before: Buffer, entry: Said): Buffer =>
  createHash('sha256')
    .update(before)
    .update(JSON.stringify(fields.map(field => entry[field])))
    .digest()

export interface Head {
  readonly seq: number
  /** In hexadecimal. */
  readonly hash: string
}

type SealRow = Pick<RowOf<typeof RecordSeals>, 'seq' | 'hash'>

const lastSeal = (db: Database, tx?: Tx) =>
  findRow<SealRow>(
    db,
    `SELECT seq, hash FROM record_seals ORDER BY seq DESC LIMIT 1 ${tx ? 'FOR UPDATE' : ''}`,
    {},
    tx,
  )

export async function headOf(db: Database): Promise<Head | null> {
  const last = await lastSeal(db)
  return last && { seq: last.seq, hash: last.hash.toString('hex') }
}

/**
 * Seals entries that wait, each with a hash over the one before it; how many. Who loses the race for a place in the
 * chain begins again.
 */
export function sealRecord(db: Database, most = 1000): Promise<number> {
  return inTransaction(
    db,
    async tx => {
      const last = await lastSeal(db, tx)
      const waiting = await select<Said & { id: number }>(
        db,
        `SELECT ${said} FROM record_unsealed u JOIN record_entries e ON e.id = u.entry_id ORDER BY u.entry_id LIMIT :most`,
        { most },
        tx,
      )
      if (waiting.length === 0) return 0
      let { seq, hash } = last ?? { seq: 0, hash: origin }
      const seals = waiting.map(entry => {
        seq += 1
        hash = sealOf(hash, entry)
        return { seq, entry_id: entry.id, hash }
      })
      await insert(db, RecordSeals, seals, tx)
      await remove(db, RecordUnsealed, { entry_id: waiting.map(({ id }) => id) }, tx)
      return waiting.length
    },
    { againOnDuplicate: true },
  )
}

export type Fault =
  /** The entry is not what was sealed, or one before it was taken out of the chain. */
  | { readonly kind: 'changed'; readonly seq: number; readonly entryId: number }
  /** The entry is gone. */
  | { readonly kind: 'missing'; readonly seq: number; readonly entryId: number }
  /** A seal is gone. */
  | { readonly kind: 'gap'; readonly seq: number }
  /** An entry that is neither sealed nor waiting for it was put in or taken out of the chain. */
  | { readonly kind: 'unsealed'; readonly entryId: number }
  /** The chain never had this head: it was made anew since. */
  | { readonly kind: 'other-head' }

export interface Verified {
  readonly sealed: number
  readonly waiting: number
  readonly head: Head | null
  readonly fault: Fault | null
}

/**
 * Works out the whole chain again. `head`: a hash written down earlier (the log has one a day); whoever can write to the
 * database could make the chain anew, but not so that it passes through that hash.
 */
export async function verifyRecord(db: Database, { head }: { head?: string } = {}): Promise<Verified> {
  let seq = 0
  let hash: Buffer = origin
  let passedHead = head === undefined
  let fault: Fault | null = null
  while (!fault) {
    const page = await select<Said & { seq: number; entry_id: number; hash: Buffer }>(
      db,
      `SELECT s.seq, s.entry_id, s.hash, ${said} FROM record_seals s LEFT JOIN record_entries e ON e.id = s.entry_id
       WHERE s.seq > :seq ORDER BY s.seq LIMIT 2000`,
      { seq },
    )
    if (page.length === 0) break
    for (const row of page) {
      if (row.seq !== seq + 1) fault = { kind: 'gap', seq: seq + 1 }
      else if (row.id === null) fault = { kind: 'missing', seq: row.seq, entryId: row.entry_id }
      else if (!sealOf(hash, row).equals(row.hash))
        fault = { kind: 'changed', seq: row.seq, entryId: row.entry_id }
      if (fault) break
      ;[seq, hash] = [row.seq, row.hash]
      passedHead ||= hash.toString('hex') === head?.toLowerCase()
    }
  }
  const stray = await findRow<{ id: number }>(
    db,
    `SELECT e.id FROM record_entries e LEFT JOIN record_seals s ON s.entry_id = e.id
       LEFT JOIN record_unsealed u ON u.entry_id = e.id WHERE s.seq IS NULL AND u.entry_id IS NULL LIMIT 1`,
  )
  const waiting = await findRow<{ n: number }>(db, 'SELECT COUNT(*) AS n FROM record_unsealed')
  fault ??= stray ? { kind: 'unsealed', entryId: stray.id } : passedHead ? null : { kind: 'other-head' }
  return {
    sealed: seq,
    waiting: Number(waiting?.n ?? 0),
    head: seq === 0 ? null : { seq, hash: hash.toString('hex') },
    fault,
  }
}
