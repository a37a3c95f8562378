import type { DeliveryState } from '@pendro/core/delivery'
import { execute, findRow, type Database, type Tx } from '../db/database.ts'
import type { FolderKind } from './folders.ts'

/** What moving a message by hand says of it. */
type MovedAs = 'junk' | 'wanted'

interface Moved {
  readonly deliveryId: number
  readonly kind: FolderKind
  readonly state: DeliveryState
  readonly cameFrom: DeliveryState | null
  readonly cluster: string
}

/** Of one mailbox in a day; whoever moves more than that is tidying up, or is not the colleague. */
const mostADay = 50
const day = 86_400_000

/** From the inbox to junk it was junk that got through, from junk to the inbox it was wanted; back again, and nothing was said. */
function verdictOf({ kind, state, cameFrom }: Moved): MovedAs | null {
  if (kind === 'inbox') return state === 'junk' ? 'wanted' : null
  return state === 'released' && cameFrom === 'junk' ? null : 'junk'
}

/** Notes what the people of a mailbox moved into its junk folder and out of it, for `learnFromMoves`. */
export async function noteVerdicts(
  db: Database,
  tx: Tx,
  { mailboxId, moved, now }: { mailboxId: number; moved: readonly Moved[]; now: Date },
): Promise<void> {
  const said = moved.filter(({ kind }) => kind === 'inbox' || kind === 'junk')
  if (said.length === 0) return
  const since = new Date(now.getTime() - day)
  const noted = await findRow<{ n: number }>(
    db,
    'SELECT COUNT(*) AS n FROM colleague_moves WHERE mailbox_id = :mailboxId AND at > :since',
    { mailboxId, since },
    tx,
  )
  let left = mostADay - Number(noted?.n ?? 0)
  for (const one of said) {
    const verdict = verdictOf(one)
    const { deliveryId, cluster } = one
    if (verdict === null)
      await execute(db, 'DELETE FROM colleague_moves WHERE delivery_id = :deliveryId', { deliveryId }, tx)
    else if (left > 0) {
      left -= 1
      await execute(
        db,
        `INSERT INTO colleague_moves (delivery_id, mailbox_id, cluster_key, verdict, at) VALUES (:deliveryId, :mailboxId, :cluster, :verdict, :now)
         ON DUPLICATE KEY UPDATE verdict = :verdict, at = :now`,
        { deliveryId, mailboxId, cluster, verdict, now },
        tx,
      )
    }
  }
}
