import { select, type Database } from '../server/src/db/database.ts'
import { tables } from '../server/src/db/tables.ts'

interface Column {
  readonly table_name: string
  readonly column_name: string
  readonly column_type: string
  readonly column_key: string
}

/** Columns that name a row of another table, by their name. */
const leadsTo: Readonly<Record<string, string>> = {
  message_id: 'messages',
  delivery_id: 'deliveries',
  mailbox_id: 'mailboxes',
  minder_id: 'mailboxes',
  colleague_id: 'mailboxes',
  staffer_id: 'staffers',
  ruling_id: 'rulings',
  entry_id: 'sender_entries',
  replaces_id: 'sender_entries',
  profile_id: 'sender_profiles',
  sender_id: 'known_senders',
  rule_id: 'mail_rules',
  digest_id: 'digests',
  enquiry_id: 'enquiries',
  import_id: 'list_imports',
}

/** Every column of the schema as it is, in the order of tables and columns. */
export const schemaColumns = (db: Database): Promise<Column[]> =>
  select<Column>(
    db,
    `SELECT table_name AS table_name, column_name AS column_name, column_type AS column_type, column_key AS column_key
     FROM information_schema.columns WHERE table_schema = DATABASE() ORDER BY table_name, ordinal_position`,
  )

/** The page docs/data-model.md: tables with what they are for, and a diagram of what leads to what, made from the schema itself. */
export async function dataModelPage(db: Database): Promise<string> {
  const columns = await schemaColumns(db)
  const names = [...new Set(columns.map(({ table_name }) => table_name))]
  const isLink = ({ column_name }: Column) => leadsTo[column_name] !== undefined
  const links = columns
    .filter(isLink)
    .filter(({ table_name, column_name }) => leadsTo[column_name] !== table_name)
  const relation = ({ table_name, column_name }: Column) =>
    `  ${leadsTo[column_name]} ||--o{ ${table_name} : "${column_name}"`
  const shape = (name: string) => {
    const keys = columns.filter(c => c.table_name === name && (c.column_key === 'PRI' || isLink(c)))
    const line = (c: Column) =>
      `    ${c.column_type.replace(/[^a-z0-9_].*$/i, '')} ${c.column_name}${c.column_key === 'PRI' ? ' PK' : ''}`
    return [`  ${name} {`, ...keys.map(line), '  }'].join('\n')
  }
  const row = (name: string) => {
    const { purpose = '', grows = '', ends = '' } = tables[name] ?? {}
    return `| \`${name}\` | ${purpose} | ${grows} | ${ends} |`
  }
  return [
    '# The data model',
    '',
    'Made from the schema by `npm run data-model`, and held to it by a test. The notes stand in `server/src/db/tables.ts`.',
    'Only keys and columns that lead to another table are drawn. The database itself holds hardly any foreign keys: what',
    'belongs together is written in one transaction, by one writer (docs/architecture.md).',
    '',
    '| table | what it is for | grows by | its rows go |',
    '|---|---|---|---|',
    ...names.map(row),
    '',
    '```mermaid',
    'erDiagram',
    ...links.map(relation),
    ...names.map(shape),
    '```',
    '',
  ].join('\n')
}
