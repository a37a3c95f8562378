import { weightsWith, type Weights } from '@pendro/core/weights'
import type { Database } from '../db/database.ts'
import { MailboxChanges } from '../db/models/organisation.ts'
import type { Weighting } from '../db/models/shapes.ts'
import type { Organisation } from '../db/organisation.ts'
import { findAll } from '../db/rows.ts'

/** What an organisation that has set nothing goes by. */
export const shippedWeighting: Weighting = { version: 0, own: {}, refit: true }

const shipped = weightsWith({})
const tables = new WeakMap<Weighting, Weights>()

/** The table of weights in use; the same one as long as nothing changes. */
export function weightsInUse({ weights = shippedWeighting }: Pick<Organisation, 'weights'>): Weights {
  const known = tables.get(weights) ?? tableOf(weights)
  tables.set(weights, known)
  return known
}

const tableOf = ({ version, own }: Pick<Weighting, 'version' | 'own'>): Weights =>
  version === 0 ? shipped : weightsWith(own)

/** The tables by which kept deliveries were judged, by version; one that is not known is the shipped one. */
export async function tablesOf(
  db: Database,
  versions: Iterable<number>,
): Promise<(version: number) => Weights> {
  const asked = [...new Set(versions)].filter(version => version !== 0)
  const rows =
    asked.length === 0
      ? []
      : await findAll(
          db,
          MailboxChanges,
          { id: asked, what: 'organisation-weights' },
          { columns: ['id', 'is_now'] },
        )
  const known = new Map(
    rows.map(({ id, is_now }) => [id, tableOf({ version: id, own: (is_now.value as Weighting).own })]),
  )
  return version => known.get(version) ?? shipped
}
