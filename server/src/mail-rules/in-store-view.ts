import { createHash } from 'node:crypto'
import type { StoreScriptShape } from '@pendro/contract'
import { storeScripts } from '@pendro/core/mail-rules'
import type { Database } from '../db/database.ts'
import { StoreScripts, type FoundScripts } from '../db/models/stores.ts'
import { findOne } from '../db/rows.ts'
import { scriptsFor } from '../stores/scripts.ts'
import { atOnce } from '../stores/scripts-due.ts'
import type { Reader } from '../reading/reader.ts'
import { isOf, placeOf, wantedFor } from './in-store-place.ts'
import { differenceOf } from './script-reading.ts'

/** So that nobody overwrites what they have not seen. */
export const fingerprint = (found: FoundScripts): string =>
  createHash('sha256')
    .update(JSON.stringify([found.rules, found.active, found.runs]))
    .digest('hex')
    .slice(0, 32)

/** How a mailbox’s rules and reply stand at its store. */
export async function showScripts(
  db: Database,
  read: Reader['readScript'],
  id: number,
): Promise<StoreScriptShape> {
  const place = await placeOf(db, id)
  const row = await findOne(db, StoreScripts, { mailbox_id: id })
  if (place === null) return notKept
  const known = isOf(row, place) ? row : null
  const wanted = await wantedFor(db, place)
  const own = known?.kept?.own ?? ''
  const runs = known?.found?.runs ?? (known?.kept ? storeScripts.active : '')
  const nextOwn = runs !== '' && runs !== storeScripts.active && runs !== storeScripts.rules ? runs : own
  const here = scriptsFor(wanted, nextOwn)
  const found = known?.found ?? known?.kept ?? null
  const state = known?.state ?? 'waiting'
  const rulesThere = found?.rules ?? null
  return {
    keeps: true,
    takenOut: place.store.scripts === 'take-out',
    store: place.store.name,
    state,
    keptAt: known?.kept_at?.toISOString() ?? null,
    lookedAt: known?.looked_at?.toISOString() ?? null,
    trouble: row?.trouble ?? '',
    detail: row?.detail ?? '',
    own: nextOwn,
    runs,
    left: wanted.left.map(({ name }) => name),
    answersTwice: wanted.replies && known?.answers_too === 1,
    isDue: known === null || state === 'waiting' || known.next_at.getTime() <= atOnce.getTime(),
    scripts: (['rules', 'active'] as const).map(part => ({
      name: storeScripts[part],
      here: here[part],
      there: found?.[part] ?? null,
    })),
    differ:
      state === 'changed' && rulesThere !== null && rulesThere !== here.rules
        ? await differenceOf(read, rulesThere, here.rules)
        : null,
    seen: known?.found ? fingerprint(known.found) : '',
    canUndo: known?.replaced != null,
  }
}

const notKept: StoreScriptShape = {
  keeps: false,
  takenOut: false,
  store: '',
  state: 'waiting',
  keptAt: null,
  lookedAt: null,
  trouble: '',
  detail: '',
  own: '',
  runs: '',
  left: [],
  answersTwice: false,
  isDue: false,
  scripts: [],
  differ: null,
  seen: '',
  canUndo: false,
}
