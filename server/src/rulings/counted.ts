import { select, type Database, type Tx } from '../db/database.ts'

/** What of a lesson says whether it counts. */
export interface Taught {
  readonly verdict: string
  readonly cluster_key: string | null
  readonly sender: string | null
  readonly colleague_id: number | null
}

/** One text teaches once of each kind; one sender and one colleague so many times of each kind. */
const most = { cluster: 1, sender: 10, colleague: 50 } as const
type Bounded = keyof typeof most

const column = { cluster: 'cluster_key', sender: 'sender', colleague: 'colleague_id' } as const
const bounded = Object.keys(most) as readonly Bounded[]

const kindOf = (verdict: string): string => (verdict === 'wanted' ? 'wanted' : 'junk')

/**
 * Says of each lesson, in the order it is asked, whether it counts beside those that do already. So nobody moves a word by writing,
 * or handing in, the same a thousand times.
 */
export async function countable(
  db: Database,
  tx: Tx,
  lessons: readonly Taught[],
): Promise<(lesson: Taught) => boolean> {
  const taught = new Map<string, number>()
  for (const of of bounded) {
    const keys = [...new Set(lessons.flatMap(lesson => lesson[column[of]] ?? []))]
    if (keys.length === 0) continue
    const rows = await select<{ of: string | number; kind: string; n: number }>(
      db,
      `SELECT ${column[of]} AS \`of\`, IF(verdict = 'wanted', 'wanted', 'junk') AS kind, COUNT(*) AS n FROM lessons
       WHERE counted AND ${column[of]} IN (:keys) GROUP BY ${column[of]}, kind`,
      { keys },
      tx,
    )
    for (const { of: key, kind, n } of rows) taught.set(`${of} ${kind} ${key}`, n)
  }
  return lesson => {
    const kind = kindOf(lesson.verdict)
    const keys = bounded.flatMap(of => {
      const key = lesson[column[of]]
      return key === null ? [] : [{ of, at: `${of} ${kind} ${key}` }]
    })
    if (keys.some(({ of, at }) => (taught.get(at) ?? 0) >= most[of])) return false
    for (const { at } of keys) taught.set(at, (taught.get(at) ?? 0) + 1)
    return true
  }
}

/** Lessons that did not count beside these, oldest first: when these go, they may. */
export async function waitingBeside(
  db: Database,
  tx: Tx,
  gone: readonly Taught[],
): Promise<readonly (Taught & { readonly id: number; readonly words: readonly string[] })[]> {
  const found = new Map<number, Taught & { id: number; words: readonly string[] }>()
  for (const of of bounded) {
    const keys = [...new Set(gone.flatMap(lesson => lesson[column[of]] ?? []))]
    if (keys.length === 0) continue
    const rows = await select<Taught & { id: number; words: readonly string[] }>(
      db,
      `SELECT id, verdict, cluster_key, sender, colleague_id, words FROM lessons
       WHERE NOT counted AND ${column[of]} IN (:keys) ORDER BY id LIMIT 500`,
      { keys },
      tx,
    )
    for (const row of rows) found.set(row.id, row)
  }
  return [...found.values()].sort((a, b) => a.id - b.id)
}
