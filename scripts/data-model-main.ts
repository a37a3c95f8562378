// `npm run data-model`: writes docs/data-model.md from the models.
import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { dataModelPage } from './data-model.ts'
import { root } from './prepare.mjs'

writeFileSync(join(root, 'docs/data-model.md'), dataModelPage())
