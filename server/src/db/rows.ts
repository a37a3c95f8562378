import type { Model, ModelStatic, Order, WhereOptions } from 'sequelize'
import { executeBound, selectBound, type Database, type Row, type Tx } from './database.ts'
import { allModels } from './models/index.ts'
import type { ModelOf, NewRowOf, RowOf } from './models/columns.ts'

const made = new WeakMap<Database, ReadonlyMap<string, ModelStatic<Model>>>()

/** The Sequelize models of a database; made once, when first asked for. */
function modelsOf(db: Database): ReadonlyMap<string, ModelStatic<Model>> {
  const known = made.get(db)
  if (known) return known
  const models = new Map(allModels.map(({ table, columns }) => [table, define(db, table, columns)]))
  for (const { table, columns } of allModels)
    for (const [name, { leadsTo }] of Object.entries(columns)) {
      const target = leadsTo === null ? undefined : models.get(leadsTo)
      if (target)
        models
          .get(table)
          ?.belongsTo(target, { as: name.replace(/_id$/, ''), foreignKey: name, constraints: false })
    }
  made.set(db, models)
  return models
}

const define = (db: Database, table: string, columns: ModelOf['columns']): ModelStatic<Model> =>
  db.define(
    table,
    Object.fromEntries(
      Object.entries(columns).map(([name, { sequelize, nullable, primary, serial }]) => [
        name,
        { type: sequelize, allowNull: nullable, primaryKey: primary, autoIncrement: serial },
      ]),
    ),
    { tableName: table, timestamps: false, freezeTableName: true },
  )

function modelOf(db: Database, { table }: ModelOf): ModelStatic<Model> {
  const found = modelsOf(db).get(table)
  if (!found) throw new Error(`${table} is not among the models`)
  return found
}

type Where<M> = WhereOptions<RowOf<M>>

interface Reading<M, C extends keyof RowOf<M>> {
  /** Which columns; without it all. */
  readonly columns?: readonly C[] | undefined
  readonly order?: Order
  readonly limit?: number
  readonly tx?: Tx | undefined
  /** Holds the rows until the transaction ends. */
  readonly lock?: boolean | undefined
}

/** Rows that fit, as plain data. */
export async function findAll<M extends ModelOf, C extends keyof RowOf<M> = keyof RowOf<M>>(
  db: Database,
  model: M,
  where: Where<M>,
  { columns, order, limit, tx, lock }: Reading<M, C> = {},
): Promise<Pick<RowOf<M>, C>[]> {
  const rows: unknown[] = await modelOf(db, model).findAll({
    where: where as WhereOptions,
    raw: true,
    ...(columns && { attributes: columns.map(String) }),
    ...(order && { order }),
    ...(limit !== undefined && { limit }),
    ...(tx && { transaction: tx }),
    ...(lock && { lock: true }),
  })
  return rows as Pick<RowOf<M>, C>[]
}

/** The one row that fits, or the first in `order`; `null` for none. */
export async function findOne<M extends ModelOf, C extends keyof RowOf<M> = keyof RowOf<M>>(
  db: Database,
  model: M,
  where: Where<M>,
  reading: Omit<Reading<M, C>, 'limit'> = {},
): Promise<Pick<RowOf<M>, C> | null> {
  return (await findAll(db, model, where, { ...reading, limit: 1 }))[0] ?? null
}

/** Whether any row fits. */
export async function exists<M extends ModelOf>(
  db: Database,
  model: M,
  where: Where<M>,
  { tx, lock }: Pick<Reading<M, never>, 'tx' | 'lock'> = {},
): Promise<boolean> {
  const [first] = Object.keys(model.columns) as (keyof RowOf<M>)[]
  if (first === undefined) return false
  return (
    (await findOne(db, model, where, { columns: [first], ...(tx && { tx }), ...(lock && { lock }) })) !== null
  )
}

/** Changes the rows that fit; how many it changed. */
export async function update<M extends ModelOf>(
  db: Database,
  model: M,
  values: Partial<NewRowOf<M>>,
  where: Where<M>,
  tx?: Tx,
): Promise<number> {
  const [changed] = await modelOf(db, model).update(values as Row, {
    where: where as WhereOptions,
    hooks: false,
    sideEffects: false,
    ...(tx && { transaction: tx }),
  })
  return changed
}

/** Removes the rows that fit; how many there were. */
export function remove<M extends ModelOf>(db: Database, model: M, where: Where<M>, tx?: Tx): Promise<number> {
  return modelOf(db, model).destroy({
    where: where as WhereOptions,
    hooks: false,
    ...(tx && { transaction: tx }),
  })
}

/** Inserts rows of one shape and gives their ids in order, where the table numbers its rows. */
export function insert<M extends ModelOf>(
  db: Database,
  { table, columns }: M,
  rows: readonly NewRowOf<M>[],
  tx?: Tx,
): Promise<number[]> {
  return insertRows(db, { table, numbered: Object.values(columns).some(({ serial }) => serial) }, rows, tx)
}

/** Inserts one row and gives its id. */
export async function insertOne<M extends ModelOf>(
  db: Database,
  model: M,
  row: NewRowOf<M>,
  tx?: Tx,
): Promise<number> {
  return idAt(await insert(db, model, [row], tx), 0)
}

/** The id of the row that was inserted at this place. @throws {RangeError} if there is none: better than a row that leads nowhere. */
export function idAt(ids: readonly number[], place: number): number {
  const id = ids[place]
  if (id === undefined) throw new RangeError(`No row was inserted at place ${place} of ${ids.length}`)
  return id
}

/**
 * Inserts into a table by its name, where there is no model of it: the demo's own, an older schema. Ids come from RETURNING,
 * which Sequelize's `bulkCreate` does not use on MariaDB: counting up from the first is wrong where the increment is not 1 (Galera).
 */
export async function insertRows(
  db: Database,
  { table, numbered = false }: { readonly table: string; readonly numbered?: boolean },
  rows: readonly Row[],
  tx?: Tx,
): Promise<number[]> {
  const first = rows[0]
  if (!first) return []
  const names = Object.keys(first)
  const ids: number[] = []
  // Statements are kept well below max_allowed_packet (16 MB).
  for (let start = 0; start < rows.length; start += 400) {
    const bind: unknown[] = []
    const tuples = rows
      .slice(start, start + 400)
      .map((row: Row) => `(${names.map(name => `$${bind.push(sqlValue(row[name]))}`).join(',')})`)
    const sql = `INSERT INTO ${table} (${names.map(name => `\`${name}\``).join(',')}) VALUES ${tuples.join(',')}`
    if (numbered)
      ids.push(
        ...(await selectBound<{ id: number }>(db, { sql: `${sql} RETURNING id`, bind }, tx)).map(
          row => row.id,
        ),
      )
    else await executeBound(db, { sql, bind }, tx)
  }
  return ids
}

function sqlValue(value: unknown): unknown {
  if (value === undefined) return null
  if (value === null || value instanceof Date || Buffer.isBuffer(value)) return value
  return typeof value === 'object' ? JSON.stringify(value) : value
}
