import { bandsOf, likeness, type Sketch } from '@pendro/core/clusters'
import { execute, select, type Database, type Tx } from '../db/database.ts'
import { mergeClusters } from './clusters.ts'

/** What of a message says to which cluster it belongs. */
export interface TextLikeness {
  /** Equal for equal texts. */
  readonly key: string
  /** Empty for short texts, which are of one cluster only when they are equal. */
  readonly sketch: Sketch
}

/** From here on two texts are of one cluster. */
const alike = 0.7
/** From here on a text says nothing that a kept one would not say, and is not kept itself. */
const same = 0.95
/** Kept texts looked at for one band: a hash that more share tells nothing. */
const mostOfBand = 20
const mostCandidates = 60

interface Known {
  readonly id: number
  readonly cluster_key: string
  readonly sketch: Sketch
}

/**
 * The cluster of each text, by its key: that of an equal one, else of the likest one kept, else its own. Texts that join two
 * clusters bring them together. The same on every process, since all of it is in the database.
 */
export async function joinClusters(
  db: Database,
  tx: Tx,
  texts: readonly TextLikeness[],
  now: Date,
): Promise<ReadonlyMap<string, string>> {
  const joined = new Map<string, string>()
  const fresh = new Map<string, TextLikeness>()
  for (const text of texts) {
    if (text.sketch.length === 0) joined.set(text.key, text.key)
    else fresh.set(text.key, text)
  }
  if (fresh.size === 0) return joined
  const equal = await select<{ id: number; text_key: string; cluster_key: string }>(
    db,
    'SELECT id, text_key, cluster_key FROM cluster_texts WHERE text_key IN (:keys)',
    { keys: [...fresh.keys()] },
    tx,
  )
  for (const { text_key, cluster_key } of equal) {
    joined.set(text_key, cluster_key)
    fresh.delete(text_key)
  }
  await seenAgain(
    db,
    tx,
    equal.map(({ id }) => id),
    now,
  )
  // One after the other: a campaign comes in together, and each of it is like the one before.
  const { candidates, crowded } = await findCandidates(db, tx, [...fresh.values()])
  const kept: (Known & { readonly text: TextLikeness })[] = []
  const moved = new Map<string, string>()
  const nowOf = (key: string): string => (moved.has(key) ? nowOf(moved.get(key) ?? key) : key)
  for (const text of fresh.values()) {
    const near = [...(candidates.get(text.key) ?? []), ...kept]
      .map(one => ({ ...one, like: likeness(one.sketch, text.sketch) }))
      .filter(({ like }) => like >= alike)
      .sort((a, b) => b.like - a.like)
    const clusters = [...new Set(near.map(({ cluster_key }) => nowOf(cluster_key)))]
    const [to = text.key, ...others] = clusters
    joined.set(text.key, to)
    if ((near[0]?.like ?? 0) < same) kept.push({ id: 0, cluster_key: to, sketch: text.sketch, text })
    for (const from of others) if (await mergeClusters(db, tx, from, to)) moved.set(from, to)
  }
  await keepTexts(
    db,
    tx,
    kept.map(({ cluster_key, text }) => ({ ...text, cluster: nowOf(cluster_key) })),
    { crowded, now },
  )
  return new Map([...joined].map(([key, cluster]) => [key, nowOf(cluster)]))
}

interface Candidates {
  readonly candidates: ReadonlyMap<string, readonly Known[]>
  /** Bands that so many kept texts share that one more would tell nothing. */
  readonly crowded: ReadonlySet<string>
}

/** Kept texts that share a band with each of these. */
async function findCandidates(db: Database, tx: Tx, texts: readonly TextLikeness[]): Promise<Candidates> {
  const nothing = { candidates: new Map(), crowded: new Set<string>() }
  const wanted = texts.flatMap(({ key, sketch }) =>
    bandsOf(sketch).map((hash, band) => ({ key, band, hash })),
  )
  if (wanted.length === 0) return nothing
  const hits = await select<{ band: number; hash: number; text_id: number }>(
    db,
    // Each is one row of the index at a place of its own: estimating so many places takes longer than looking there.
    `SET STATEMENT eq_range_index_dive_limit = 1 FOR
     SELECT band, hash, text_id FROM cluster_bands WHERE (band, hash) IN (${tuples(wanted.map(({ band, hash }) => [band, hash]))})
     LIMIT :most`,
    { most: wanted.length * mostOfBand },
    tx,
  )
  if (hits.length === 0) return nothing
  const byBand = new Map<string, number[]>()
  for (const { band, hash, text_id } of hits) {
    const ids = byBand.get(bandKey(band, hash))
    if (ids) ids.push(text_id)
    else byBand.set(bandKey(band, hash), [text_id])
  }
  const rows = await select<{ id: number; cluster_key: string; sketch: Buffer }>(
    db,
    'SELECT id, cluster_key, sketch FROM cluster_texts WHERE id IN (:ids)',
    { ids: [...new Set([...byBand.values()].flatMap(ids => ids.slice(0, mostOfBand)))] },
    tx,
  )
  const known = new Map(rows.map(row => [row.id, { ...row, sketch: unpackSketch(row.sketch) }]))
  const found = new Map<string, readonly Known[]>()
  for (const { key, sketch } of texts) {
    const ids = new Set(bandsOf(sketch).flatMap((hash, band) => byBand.get(bandKey(band, hash)) ?? []))
    found.set(
      key,
      [...ids].slice(0, mostCandidates).flatMap(id => known.get(id) ?? []),
    )
  }
  const crowded = [...byBand].filter(([, ids]) => ids.length >= mostOfBand).map(([at]) => at)
  return { candidates: found, crowded: new Set(crowded) }
}

const bandKey = (band: number, hash: number) => `${band} ${hash}`

async function keepTexts(
  db: Database,
  tx: Tx,
  texts: readonly (TextLikeness & { readonly cluster: string })[],
  { crowded, now }: Pick<Candidates, 'crowded'> & { readonly now: Date },
): Promise<void> {
  if (texts.length === 0) return
  // Another process may be keeping the same text at this moment: then it is not among those given back, and its bands are theirs.
  const rows = await select<{ id: number; text_key: string }>(
    db,
    `INSERT IGNORE INTO cluster_texts (text_key, cluster_key, sketch, seen_at)
     VALUES ${texts.map((_, i) => `(:t${i}, :c${i}, :s${i}, :now)`).join(',')} RETURNING id, text_key`,
    {
      now,
      ...Object.fromEntries(
        texts.flatMap(({ key, cluster, sketch }, i) => [
          [`t${i}`, key],
          [`c${i}`, cluster],
          [`s${i}`, packSketch(sketch)],
        ]),
      ),
    },
    tx,
  )
  const ids = new Map(rows.map(({ id, text_key }) => [text_key, id]))
  const bands = texts.flatMap(({ key, sketch }) => {
    const id = ids.get(key)
    if (id === undefined) return []
    return bandsOf(sketch).flatMap((hash, band) =>
      crowded.has(bandKey(band, hash)) ? [] : [{ band, hash, id }],
    )
  })
  if (bands.length === 0) return
  await execute(
    db,
    `INSERT IGNORE INTO cluster_bands (band, hash, text_id)
     VALUES ${tuples(bands.map(({ band, hash, id }) => [band, hash, id]))}`,
    {},
    tx,
  )
}

/** Whole numbers of ours, written out: hundreds of named values take longer to put in than to look up. */
const tuples = (rows: readonly (readonly number[])[]): string =>
  rows.map(row => `(${row.map(n => Math.trunc(n)).join(',')})`).join(',')

/** A text that is still met is kept; once a day is often enough to say so. */
async function seenAgain(db: Database, tx: Tx, ids: readonly number[], now: Date): Promise<void> {
  if (ids.length === 0) return
  await execute(
    db,
    'UPDATE cluster_texts SET seen_at = :now WHERE id IN (:ids) AND seen_at < :now - INTERVAL 1 DAY',
    { ids: [...ids].sort((a, b) => a - b), now },
    tx,
  )
}

/** Little-endian, whatever the machine. */
function packSketch(sketch: Sketch): Buffer {
  const packed = Buffer.alloc(sketch.length * 4)
  sketch.forEach((hash, i) => packed.writeUInt32LE(hash, i * 4))
  return packed
}

const unpackSketch = (packed: Buffer): Sketch =>
  Uint32Array.from({ length: packed.length / 4 }, (_, i) => packed.readUInt32LE(i * 4))
