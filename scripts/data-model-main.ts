// `npm run data-model`: writes docs/data-model.md from the schema that the migrations make.
import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { dataModelPage } from './data-model.ts'
import { openDatabase } from '../server/src/db/database.ts'
import { migrate } from '../server/src/db/migrate.ts'
import { startDatabase } from './database.mjs'
import { dataFolder, root } from './prepare.mjs'

const database = await startDatabase(join(dataFolder, 'model-db'), { lasting: false })
database.sql('DROP DATABASE IF EXISTS pendro_model; CREATE DATABASE pendro_model')
const db = openDatabase(database.url('pendro_model'))
await migrate(db)
writeFileSync(join(root, 'docs/data-model.md'), await dataModelPage(db))
await db.close()
await database.stop()
