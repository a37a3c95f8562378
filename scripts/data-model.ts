import { allModels } from '../server/src/db/models/index.ts'

/** The page docs/data-model.md: tables with what they are for, and a diagram of what leads to what, made from the models. */
export function dataModelPage(): string {
  const models = [...allModels].sort((a, b) => a.table.localeCompare(b.table))
  const links = models.flatMap(({ table, columns }) =>
    Object.entries(columns)
      .filter(([, { leadsTo }]) => leadsTo !== null && leadsTo !== table)
      .map(([name, { leadsTo }]) => `  ${leadsTo} ||--o{ ${table} : "${name}"`),
  )
  const shape = ({ table, columns }: (typeof models)[number]) => {
    const lines = Object.entries(columns)
      .filter(([, { primary, leadsTo }]) => primary || leadsTo !== null)
      .map(
        ([name, { type, primary }]) =>
          `    ${type.replace(/[^a-z0-9_].*$/i, '')} ${name}${primary ? ' PK' : ''}`,
      )
    return [`  ${table} {`, ...lines, '  }'].join('\n')
  }
  return [
    '# The data model',
    '',
    'Made from the models in `server/src/db/models/` by `npm run data-model`; a test holds the models and the migrated schema',
    'together. Only keys and columns that lead to another table are drawn. The database itself holds hardly any foreign keys:',
    'what belongs together is written in one transaction, by one writer (docs/architecture.md).',
    '',
    '| table | what it is for | grows by | its rows go |',
    '|---|---|---|---|',
    ...models.map(
      ({ table, note: { purpose, grows, ends } }) => `| \`${table}\` | ${purpose} | ${grows} | ${ends} |`,
    ),
    '',
    '```mermaid',
    'erDiagram',
    ...links,
    ...models.map(shape),
    '```',
    '',
  ].join('\n')
}
