import { DataTypes, type ModelAttributeColumnOptions } from 'sequelize'

interface Is<Read, Write, Needed> {
  readonly read: Read
  readonly write: Write
  readonly needed: Needed
}

/**
 * A column as code sees it. `Read` is what a row gives, `Write` what a new row takes, `Needed` whether a new row must say it.
 * Rows keep the names of their columns, so that SQL text and models speak of the same things.
 */
export interface Column<Read, Write = Read, Needed extends boolean = true> {
  /** As `information_schema.columns.column_type` has it; a test holds both together. */
  readonly type: string
  readonly sequelize: ModelAttributeColumnOptions['type']
  readonly nullable: boolean
  readonly primary: boolean
  /** Numbered by the database. */
  readonly serial: boolean
  /** Computed by the database; never written. */
  readonly generated: boolean
  /** The table a value names a row of. */
  readonly leadsTo: string | null
  /** Only for types; never set. */
  readonly is?: Is<Read, Write, Needed>
}

/** What the database knows of a column, without the types of its values. */
type Facts = Omit<Column<unknown, unknown, boolean>, 'is'>
const factsOf = ({ is: _, ...facts }: Column<unknown, unknown, boolean>): Facts => facts

const column = <Read, Write = Read>(
  type: string,
  sequelize: ModelAttributeColumnOptions['type'],
): Column<Read, Write> => ({
  type,
  sequelize,
  nullable: false,
  primary: false,
  serial: false,
  generated: false,
  leadsTo: null,
})

type Size = 'tiny' | 'small' | 'usual' | 'big'
const integers: Readonly<Record<Size, readonly [string, ModelAttributeColumnOptions['type']]>> = {
  tiny: ['tinyint(3)', DataTypes.TINYINT.UNSIGNED],
  small: ['smallint(5)', DataTypes.SMALLINT.UNSIGNED],
  usual: ['int(10)', DataTypes.INTEGER.UNSIGNED],
  big: ['bigint(20)', DataTypes.BIGINT.UNSIGNED],
}

/** A whole number of 0 or more. Big ones stay below 2^53. */
export function integer({ size = 'usual' }: { size?: Size } = {}): Column<number> {
  const [type, sequelize] = integers[size]
  return column(`${type} unsigned`, sequelize)
}

/** A whole number that can be below 0. */
export const signed = () => column<number>('int(11)', DataTypes.INTEGER)
export const real = () => column<number>('double', DataTypes.DOUBLE)
/** Read as a number (database.ts), so that no capability has to remember which columns are decimals. */
export const decimal = (digits: number, after: number) =>
  column<number>(`decimal(${digits},${after})`, DataTypes.DECIMAL(digits, after))
/** Yes or no; a row gives 1 or 0, as the database does. */
export const flag = () => column<number, boolean | number>('tinyint(1)', DataTypes.BOOLEAN)
/** `T`: the words it can be, where the schema leaves that open. */
export const text = <T extends string = string>(length: number) =>
  column<T>(`varchar(${length})`, DataTypes.STRING(length))
/** Text of some pages. */
export const textBlock = () => column<string>('mediumtext', DataTypes.TEXT('medium'))
/** Text of one length: hashes, tokens. */
export const chars = (length: number) => column<string>(`char(${length})`, DataTypes.CHAR(length))
export const bytes = (type: 'mediumblob' | 'longblob' | `binary(${number})` | `varbinary(${number})`) =>
  column<Buffer>(type, DataTypes.BLOB)
/** An instant in UTC, to the millisecond. */
export const moment = () => column<Date>('datetime(3)', DataTypes.DATE(3))
/** A calendar day as text, `2026-11-27`. */
export const day = () => column<string>('date', DataTypes.DATEONLY)
/** One of a few words. */
export const oneOf = <const T extends string>(...values: readonly T[]) =>
  column<T>(`enum(${values.map(value => `'${value}'`).join(',')})`, DataTypes.ENUM(...values))
/** Data of one shape, parsed when read. The one kind of column in which things are kept packed as text. */
export const json = <T>() => column<T>('longtext', DataTypes.JSON)

/** When the row was last written, kept by the database. */
export const changedAt = (): Column<Date, never, false> => ({
  ...factsOf(column<Date>('timestamp(6)', DataTypes.DATE(6))),
  generated: true,
})

/** Tables whose rows are numbered in 64 bits; what leads to them is as wide. */
const wide: ReadonlySet<string> = new Set(['messages', 'deliveries', 'record_entries'])

/** The number of a row in another table. */
export const link = (table: string): Column<number> => ({
  ...integer({ size: wide.has(table) ? 'big' : 'usual' }),
  leadsTo: table,
})

const numbered = (size: Size): Column<number, number, false> => ({
  ...factsOf(integer({ size })),
  primary: true,
  serial: true,
})
/** The row's own number, given by the database. */
export const serial = () => numbered('usual')
export const bigSerial = () => numbered('big')
/** Numbered by the database beside a key of its own. */
export const counter = (): Column<number, number, false> => ({ ...factsOf(integer()), serial: true })

/** May be NULL; a new row need not say it. */
export const maybe = <R, W>(of: Column<R, W>): Column<R | null, W | null, false> => ({
  ...factsOf(of),
  nullable: true,
})
/** The database has a value for it when a new row says nothing. */
export const preset = <R, W, N extends boolean>(of: Column<R, W, N>): Column<R, W, false> => factsOf(of)
/** Part of the primary key. */
export const primary = <R, W, N extends boolean>(of: Column<R, W, N>): Column<R, W, N> => ({
  ...of,
  primary: true,
})
/** Computed by the database from other columns. */
export const generated = <R>(of: Column<R>): Column<R | null, never, false> => ({
  ...factsOf(of),
  nullable: true,
  generated: true,
})

/** What a table is for, what makes it grow, and when its rows go. */
export interface TableNote {
  readonly purpose: string
  readonly grows: string
  readonly ends: string
}

type Columns = Readonly<Record<string, Column<unknown, unknown, boolean>>>

/** A table: its note and its columns. `RowOf` and `NewRowOf` give the types of its rows. */
export interface ModelOf<C extends Columns = Columns> {
  readonly table: string
  readonly note: TableNote
  readonly columns: C
}

export const model = <C extends Columns>(table: string, note: TableNote, columns: C): ModelOf<C> => ({
  table,
  note,
  columns,
})

type ReadOf<T> = T extends Column<infer R, infer _W, infer _N> ? R : never
type WriteOf<T> = T extends Column<infer _R, infer W, infer _N> ? W : never
type IsNeeded<T> = T extends Column<infer _R, infer _W, infer N> ? N : never

/** A row as it is read. */
export type RowOf<M> = M extends ModelOf<infer C> ? { readonly [K in keyof C]: ReadOf<C[K]> } : never

/** A row to be written: what the database numbers, computes or knows a value for may be left out. */
export type NewRowOf<M> =
  M extends ModelOf<infer C>
    ? {
        readonly [K in keyof C as IsNeeded<C[K]> extends true ? K : never]: WriteOf<C[K]>
      } & {
        readonly [K in keyof C as IsNeeded<C[K]> extends true ? never : K]?: WriteOf<C[K]> | undefined
      }
    : never
