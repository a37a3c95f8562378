import { integer, model, primary, text } from './columns.ts'

export const Migrations = model(
  'migrations',
  { purpose: 'Migrations that are done', grows: 'a row a migration', ends: 'never' },
  {
    name: primary(text(255)),
  },
)

export const MigrationSteps = model(
  'migration_steps',
  {
    purpose: 'How far a migration has come, so that an interrupted one goes on',
    grows: 'a row a migration',
    ends: 'never',
  },
  {
    name: primary(text(60)),
    done: integer(),
  },
)
