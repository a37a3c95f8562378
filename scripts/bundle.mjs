// TypeScript as plain JavaScript, as it runs in production: our packages inside, all others outside.
import { build } from 'esbuild'

export const bundle = (entryPoints, outdir) =>
  build({
    entryPoints,
    outdir,
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
