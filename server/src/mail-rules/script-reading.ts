import { mailRuleDraft, type MailRuleDraft, type RulesDifferShape, type SieveReading } from '@pendro/contract'
import { compareRules } from '@pendro/core/mail-rules'
import { AppError } from '../errors.ts'
import type { Reader } from '../reading/reader.ts'

type ReadScript = Reader['readScript']
type Read = Extract<NonNullable<Awaited<ReturnType<ReadScript>>>, { readonly ok: true }>['value']

/** More than this nobody reads, and no mailbox takes. */
const most = 500

/** Rules of a script, as far as the API takes them. Throws BAD_SCRIPT for what is none. */
export async function readScript(reader: Pick<Reader, 'readScript'>, script: string): Promise<SieveReading> {
  const read = await reader.readScript(script)
  if (read === null) throw new AppError('BAD_SCRIPT', { context: 'too-slow' })
  if (!read.ok) {
    const { code, line, text } = read.problem
    throw new AppError('BAD_SCRIPT', { context: code, line, found: text })
  }
  return asDrafts(read.value)
}

/** What two scripts differ in, as rules; `null` where one of them can’t be read. */
export async function differenceOf(
  read: ReadScript,
  there: string,
  here: string,
): Promise<RulesDifferShape | null> {
  const [theirs, ours] = await Promise.all([read(there), read(here)])
  if (!theirs?.ok || !ours?.ok) return null
  const only = compareRules(theirs.value.rules, ours.value.rules)
  const drafts = asDrafts({ rules: only.there, left: theirs.value.left })
  return {
    there: drafts.rules,
    here: asDrafts({ rules: only.here, left: [] }).rules,
    isReordered: only.isReordered,
    left: drafts.left,
  }
}

/** A rule that is longer than ours may be is left out, and told. */
function asDrafts({ rules, left: told }: Read): SieveReading {
  const left: SieveReading['left'] = told.slice(0, most).map(line => ({ ...line }))
  const drafts = rules.slice(0, most).flatMap((rule): MailRuleDraft[] => {
    const checked = mailRuleDraft.safeParse(rule)
    if (!checked.success) left.push({ line: 0, why: 'nothing', text: rule.name })
    return checked.success ? [checked.data] : []
  })
  return { rules: drafts, left }
}
