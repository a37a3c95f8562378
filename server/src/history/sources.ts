import { open, readdir, realpath, stat } from 'node:fs/promises'
import { join, relative, resolve, sep } from 'node:path'
import { createMboxReader, isMbox } from '@pendro/core/formats'

/** Messages of a source, from a place on. */
export interface Part {
  readonly messages: readonly Buffer[]
  /** Larger than may be, or gone while they were read. */
  readonly leftOut: number
  /** Where the next part begins. */
  readonly place: string
  readonly done: number
  readonly total: number
  readonly isEnd: boolean
}

/** Where messages of before are. */
export interface Source {
  /** @param place '' for the start, or where the part before ended. */
  readonly next: (place: string) => Promise<Part>
  readonly close: () => Promise<void>
}

/** Why a source can't be read; a wording has a sentence for each. */
export type SourceProblem = 'not-there' | 'not-mbox' | 'changed' | 'no-answer' | 'sign-in' | 'no-folder'

/** Ends a run with what stands in its way. */
export class SourceError extends Error {
  readonly problem: SourceProblem
  constructor(problem: SourceProblem, detail = '') {
    super(detail)
    this.problem = problem
  }
}

/** Of one part: what is held in memory, and what one transaction learns. */
export const mostTogether = { messages: 100, bytes: 8_000_000 }
/** Of one message; larger ones teach nothing that smaller ones do not. */
export const largest = 5_000_000
const chunk = 256 * 1024
/** Bytes read for one part where most of it is left out. */
const mostRead = 64_000_000

/** A path under the folder that is set; throws for one that leads out of it, by whatever way. */
export async function within(folder: string, path: string): Promise<string> {
  if (folder === '') throw new SourceError('not-there')
  try {
    const [root, full] = await Promise.all([realpath(folder), realpath(resolve(folder, path))])
    if (full === root || full.startsWith(root + sep)) return full
  } catch {
    // Not there, or not to be read.
  }
  throw new SourceError('not-there')
}

/** An mbox file (RFC 4155). A place is a byte, with 's' behind it in the middle of a message that is left out. */
export async function mboxSource(path: string): Promise<Source> {
  const file = await open(path, 'r').catch(() => {
    throw new SourceError('not-there')
  })
  const start = Buffer.alloc(1000)
  const { bytesRead } = await file.read(start, 0, start.length, 0)
  if (bytesRead > 0 && !isMbox(start.subarray(0, bytesRead))) {
    await file.close()
    throw new SourceError('not-mbox')
  }
  return {
    next: async place => {
      const total = (await file.stat()).size
      const from = Number.parseInt(place, 10) || 0
      // A file that has become shorter is another one.
      if (from > total) throw new SourceError('changed')
      const reader = createMboxReader({ most: largest, from, goesOn: place.endsWith('s') })
      const messages: Buffer[] = []
      let [leftOut, size, at, end, goesOn] = [0, 0, from, from, place.endsWith('s')]
      const isFull = () =>
        messages.length >= mostTogether.messages || size >= mostTogether.bytes || at - from >= mostRead
      const bytes = Buffer.alloc(chunk)
      for (;;) {
        const { bytesRead: n } = await file.read(bytes, 0, chunk, at)
        at += n
        // The reader keeps parts of it: they must not be written over.
        const items = n === 0 ? reader.finish() : reader.push(Buffer.from(bytes.subarray(0, n)))
        for (const item of items) {
          if (isFull() && messages.length > 0) break
          if (item.raw) messages.push(Buffer.from(item.raw))
          else if (!item.goesOn) leftOut += 1
          size += item.raw?.length ?? 0
          ;({ end, goesOn } = item)
        }
        if (n === 0 || isFull()) break
      }
      const isEnd = end >= total || (at >= total && messages.length === 0 && leftOut === 0)
      return {
        messages,
        leftOut,
        place: `${end}${goesOn ? 's' : ''}`,
        done: isEnd ? total : end,
        total,
        isEnd,
      }
    },
    close: () => file.close(),
  }
}

/** The part of a file's name that stays while flags change. */
const baseOf = (name: string) => name.split(':', 1)[0] ?? name
/** Drafts and what was thrown away say nothing of what somebody wanted. */
const isLeftOut = (name: string) => /:2,[A-Z]*[DT]/.test(name)

/** A Maildir: `cur` and `new`. A place is the last file that was read, without its flags. Files may come, go and be renamed meanwhile. */
export function maildirSource(path: string): Source {
  const list = async (): Promise<readonly (readonly [base: string, file: string])[]> => {
    const folders = await Promise.all(
      ['cur', 'new'].map(async folder => {
        const names = await readdir(join(path, folder)).catch(() => {
          throw new SourceError('not-there')
        })
        return names
          .filter(name => !name.startsWith('.'))
          .map(name => [baseOf(name), join(path, folder, name)] as const)
      }),
    )
    return folders.flat().sort(([a], [b]) => (a < b ? -1 : 1))
  }
  return {
    next: async place => {
      let all = await list()
      const total = all.length
      const coming = all.filter(([base]) => base > place)
      const messages: Buffer[] = []
      let [leftOut, size, last, n] = [0, 0, place, 0]
      for (const [base, file] of coming) {
        if (messages.length >= mostTogether.messages || size >= mostTogether.bytes) break
        last = base
        n += 1
        if (isLeftOut(file)) {
          leftOut += 1
          continue
        }
        let raw = await readSmall(file)
        if (raw === 'gone') {
          // Its flags have changed, or it was moved from new to cur; else it is gone.
          all = await list()
          const now = all.find(([other]) => other === base)
          raw = now ? await readSmall(now[1]) : 'gone'
        }
        if (typeof raw === 'string') leftOut += 1
        else {
          messages.push(raw)
          size += raw.length
        }
      }
      const before = total - coming.length
      const isEnd = n === coming.length
      return { messages, leftOut, place: last, done: before + n, total, isEnd }
    },
    close: async () => {},
  }
}

async function readSmall(path: string): Promise<Buffer | 'gone' | 'too-large'> {
  try {
    const file = await open(path, 'r')
    try {
      return (await file.stat()).size > largest ? 'too-large' : await file.readFile()
    } finally {
      await file.close()
    }
  } catch {
    return 'gone'
  }
}

/** A mail folder under the folder that is set. */
export interface FoundFolder {
  /** From there. */
  readonly path: string
  readonly kind: 'mbox' | 'maildir'
  readonly bytes: number
}

const mostFolders = 2000
const deepest = 4

/** Mail folders there are: Maildirs by their `cur` and `new`, and files that begin as an mbox does. */
export async function findFolders(folder: string): Promise<readonly FoundFolder[]> {
  if (folder === '') return []
  const root = await within(folder, '.')
  const found: FoundFolder[] = []
  const look = async (at: string, depth: number): Promise<void> => {
    if (depth > deepest || found.length >= mostFolders) return
    const entries = await readdir(at, { withFileTypes: true }).catch(() => [])
    const names = new Set(entries.filter(one => one.isDirectory()).map(({ name }) => name))
    if (names.has('cur') && names.has('new')) {
      found.push({ path: relative(root, at) || '.', kind: 'maildir', bytes: 0 })
    }
    for (const entry of entries.sort((a, b) => (a.name < b.name ? -1 : 1))) {
      if (found.length >= mostFolders) return
      const path = join(at, entry.name)
      if (entry.isDirectory() && !['cur', 'new', 'tmp'].includes(entry.name)) await look(path, depth + 1)
      else if (entry.isFile() && (await beginsAsMbox(path)))
        found.push({ path: relative(root, path), kind: 'mbox', bytes: (await stat(path)).size })
    }
  }
  await look(root, 0)
  return found
}

async function beginsAsMbox(path: string): Promise<boolean> {
  try {
    const file = await open(path, 'r')
    try {
      const start = Buffer.alloc(500)
      const { bytesRead } = await file.read(start, 0, start.length, 0)
      return isMbox(start.subarray(0, bytesRead))
    } finally {
      await file.close()
    }
  } catch {
    return false
  }
}
