import type { FilingFolders } from './filing.ts'
import { parseSieve } from './sieve-syntax.ts'
import { dollar } from './sieve-text.ts'
import {
  beginning,
  canBeTold,
  foldersMark,
  headOf,
  heldOf,
  mindingOf,
  placed,
  placedAndSettled,
  plain,
  replyMark,
  ruleMark,
  usualFolders,
  type Ruled,
} from './sieve-write.ts'

/** A part of a script that was ours and that somebody has changed: the first line of it that is another. */
interface EditedPart {
  readonly line: number
  readonly text: string
  /** The rule as it reads now, under its name; '' for what is no rule. */
  readonly script: string
}

/** A rule that stands as it was written, or what somebody has changed. */
type WrittenPart = { readonly rule: Ruled } | EditedPart

/**
 * What is left of a script that {@link writeRules} wrote: its rules and the parts that somebody has changed, in their order, and what
 * was added at its end. `null`: it has none of our marks. What the mailbox answers by itself is no rule, and may have been changed.
 */
export function readWritten(script: string): {
  readonly parts: readonly WrittenPart[]
  readonly added: string
} | null {
  const lines = script.split('\n')
  const marks = lines.flatMap((line, i) => (line.startsWith(ruleMark) ? [i] : []))
  const [first] = marks
  if (first === undefined) return null
  const named = lines.find(line => line.startsWith(foldersMark))
  const folders = named === undefined ? usualFolders : (told(named, foldersMark) as FilingFolders | null)
  const rules = marks.map(at => told(lines[at] ?? '', ruleMark) as Ruled | null)
  if (folders === null || rules.includes(null)) return null
  const from = (at: number) => lines.slice(at).join('\n')
  const parts: WrittenPart[] = []
  const [front, plainFront] = [headOf(folders) + beginning, headOf(folders)]
  const before = `${lines.slice(0, first).join('\n')}\n`.replace(/^require \[[^\]\n]*\];\n/, '')
  if (before !== front && before !== plainFront)
    parts.push({ line: 1, text: firstOther(before, front), script: '' })
  let tail = ''
  for (const [i, at] of marks.entries()) {
    const rule = rules[i]
    if (!rule || !canBeTold(rule)) return null
    const next = marks[i + 1]
    const part = next === undefined ? from(at) : `${lines.slice(at, next).join('\n')}\n`
    const expected = [mindingOf(rule, folders), plain(rule, folders).replaceAll(dollar, '$')]
    const end = next === undefined ? part.indexOf(heldOf(folders)) : -1
    const body = part.slice(part.indexOf('\n') + 1, end < 0 ? undefined : end)
    const same = expected.find(one => (next === undefined ? part.startsWith(one) : part === one))
    if (same !== undefined) parts.push({ rule })
    else
      parts.push({
        line: at + 1,
        text: firstOther(part, expected[0] ?? ''),
        script: `# ${rule.name.replaceAll('\n', ' ')}\n${body}`,
      })
    if (next === undefined) tail = same === undefined ? tailOf(part, folders) : part.slice(same.length)
  }
  const { added, other } = afterRules(tail, folders)
  if (other !== null)
    parts.push({ line: lines.length - tail.split('\n').length + 1, text: other, script: '' })
  return { parts, added }
}

const told = (line: string, mark: string): unknown => {
  try {
    return JSON.parse(line.slice(mark.length))
  } catch {
    return null
  }
}

const firstOther = (text: string, expected: string): string => {
  const wanted = expected.split('\n')
  return (text.split('\n').find((line, i) => line !== wanted[i]) ?? '').trim().slice(0, 60)
}

/** What follows the rules, behind a last rule that was changed. */
function tailOf(part: string, folders: FilingFolders): string {
  const at = part.indexOf(heldOf(folders))
  return at < 0 ? '' : part.slice(at)
}

/** What somebody has added behind all that is ours; `other`: what stands where ours should. */
function afterRules(
  tail: string,
  folders: FilingFolders,
): { readonly added: string; readonly other: string | null } {
  const held = heldOf(folders)
  if (!tail.startsWith(held)) return { added: tail, other: null }
  const rest = tail.slice(held.length)
  for (const end of [placed, placedAndSettled]) {
    const at = rest.indexOf(end)
    if (at < 0) continue
    const reply = rest.slice(0, at)
    const isReply = reply === '' || (reply.startsWith(replyMark) && isOneCommand(reply))
    return { added: rest.slice(at + end.length), other: isReply ? null : firstOther(reply, replyMark) }
  }
  return { added: '', other: firstOther(rest, placed) }
}

const isOneCommand = (text: string): boolean => {
  const commands = parseSieve(text)
  return commands.ok && commands.value.length === 1
}
