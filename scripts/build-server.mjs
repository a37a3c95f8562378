// The server as plain JavaScript in server/dist, so that running it needs no development dependency.
import { join } from 'node:path'
import { bundle } from './bundle.mjs'
import { root } from './prepare.mjs'

const source = join(root, 'server/src')

await bundle(
  // Beside each other in one folder: each finds its threads by its own place (server/src/jobs/thread-options.ts).
  {
    main: join(source, 'main.ts'),
    'reading-worker': join(source, 'reading/reading-worker.ts'),
    'lists-worker': join(source, 'list-jobs/lists-worker.ts'),
    // The way back in, and the check of the record: for whoever has the machine, without a development dependency.
    staffer: join(root, 'scripts/staffer-main.ts'),
    record: join(root, 'scripts/record-main.ts'),
  },
  join(root, 'server/dist'),
)
