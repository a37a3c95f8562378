// The server as plain JavaScript in server/dist, so that running it needs no development dependency.
import { build } from 'esbuild'
import { join } from 'node:path'
import { root } from './prepare.mjs'

const source = join(root, 'server/src')

await build({
  // Beside each other in one folder: each finds its threads by its own place (server/src/jobs/thread-options.ts).
  entryPoints: {
    main: join(source, 'main.ts'),
    'reading-worker': join(source, 'reading/reading-worker.ts'),
    'lists-worker': join(source, 'list-jobs/lists-worker.ts'),
    // The way back in, and the check of the record: for whoever has the machine, without a development dependency.
    staffer: join(root, 'scripts/staffer-main.ts'),
    record: join(root, 'scripts/record-main.ts'),
  },
  outdir: join(root, 'server/dist'),
  bundle: true,
  platform: 'node',
  format: 'esm',
  target: 'node20',
  sourcemap: true,
  logLevel: 'warning',
  plugins: [
    {
      name: 'our packages inside, all others outside',
      setup: ({ onResolve }) =>
        onResolve({ filter: /^[^./]/ }, ({ path, kind }) =>
          kind === 'entry-point' || path.startsWith('@pendro/') || path.endsWith('.json')
            ? undefined
            : { path, external: true },
        ),
    },
  ],
})
