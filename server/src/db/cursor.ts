import { z } from 'zod'
import { AppError } from '../errors.ts'

/** Where a page ended: what its last row is ordered by, and its number. Rows that come or go meanwhile shift nothing. */
export interface Cursor {
  readonly key: string
  readonly id: number
}

const shape = z.tuple([z.string().max(600), z.number().int().nonnegative()])

/** A place in a list as text for `after` of the next question; what it holds is nobody's business but ours. */
export function cursorText(key: string | number | Date, id: number): string {
  const text = key instanceof Date ? String(key.getTime()) : String(key)
  return Buffer.from(JSON.stringify([text, id])).toString('base64url')
}

/** The place a text stands for; `null` for the beginning. @throws {AppError} BAD_CURSOR for a text we did not make. */
export function readCursor(text: string | undefined): Cursor | null {
  if (text === undefined) return null
  const read = shape.safeParse(parsed(Buffer.from(text, 'base64url').toString('utf8')))
  if (!read.success) throw new AppError('BAD_CURSOR')
  const [key, id] = read.data
  return { key, id }
}

/** The same for lists in order of time. */
export function readTimeCursor(
  text: string | undefined,
): { readonly time: Date; readonly id: number } | null {
  const cursor = readCursor(text)
  if (cursor === null) return null
  const time = new Date(Number(cursor.key))
  if (Number.isNaN(time.getTime())) throw new AppError('BAD_CURSOR')
  return { time, id: cursor.id }
}

function parsed(text: string): unknown {
  try {
    return JSON.parse(text)
  } catch {
    return null
  }
}
