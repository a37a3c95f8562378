// What is asked of the code without running it. Rules that need types are asked with `--type-aware`.
import { defineConfig } from 'oxlint'
import { order } from './server/order.mjs'

/** Imports run downward only (docs/decisions): what each folder may not reach. */
const forbidden = {
  core: [
    '@pendro/contract',
    '@pendro/server',
    '@pendro/web',
    '@pendro/demo',
    '@pendro/stand-ins',
    'express',
    'sequelize',
    'react',
  ],
  contract: [
    '@pendro/server',
    '@pendro/web',
    '@pendro/demo',
    '@pendro/stand-ins',
    'express',
    'sequelize',
    'react',
  ],
  server: ['@pendro/web', '@pendro/demo', '@pendro/stand-ins', 'react'],
  web: ['@pendro/server', '@pendro/demo', '@pendro/stand-ins', '@pendro/core', 'express', 'sequelize'],
  'stand-ins': ['@pendro/contract', '@pendro/server', '@pendro/web', '@pendro/demo', 'react', 'sequelize'],
  demo: [
    '@pendro/contract',
    '@pendro/server',
    '@pendro/web',
    '@pendro/stand-ins',
    'react',
    'express',
    'sequelize',
  ],
}
const workspaces = Object.keys(forbidden)

/** What a workspace may not import, as patterns of no-restricted-imports. */
const patternsOf = folder => [
  {
    group: forbidden[folder].flatMap(name => [name, `${name}/*`]),
    message: `${folder} may not import this: imports run downward only.`,
  },
  {
    group: workspaces.filter(other => other !== folder).map(other => `**/../${other}/**`),
    message: 'Other workspaces are imported by their package name.',
  },
]

const restricted = (files, patterns) => ({
  files,
  rules: { 'no-restricted-imports': ['error', { patterns }] },
})

const every = (level, names) => Object.fromEntries(names.map(name => [name, level]))

const boundaries = workspaces.map(folder => restricted([`${folder}/src/**/*.{ts,tsx}`], patternsOf(folder)))

/** In the server each folder imports only those before it (server/order.mjs). */
const capabilities = order.map((folder, i) =>
  restricted(
    [`server/src/${folder}/**/*.ts`],
    [
      ...patternsOf('server'),
      ...(i + 1 < order.length
        ? [
            {
              group: order.slice(i + 1).map(later => `**/../${later}/**`),
              message: `${folder} may not import this: it comes later in server/order.mjs.`,
            },
          ]
        : []),
    ],
  ),
)

export default defineConfig({
  plugins: ['eslint', 'typescript'],
  categories: { correctness: 'error' },
  rules: {
    ...every('error', [
      'no-case-declarations',
      'no-empty',
      'no-fallthrough',
      'no-prototype-builtins',
      'no-redeclare',
      'no-regex-spaces',
      'no-unexpected-multiline',
      'no-useless-assignment',
      'no-var',
      'prefer-const',
      'prefer-rest-params',
      'prefer-spread',
      'preserve-caught-error',
      'no-array-constructor',
      'typescript/ban-ts-comment',
      'typescript/no-empty-object-type',
      'typescript/no-explicit-any',
      'typescript/no-namespace',
      'typescript/no-require-imports',
      'typescript/no-unnecessary-type-constraint',
      'typescript/no-unsafe-function-type',
      'typescript/no-floating-promises',
      'typescript/no-misused-promises',
      'typescript/await-thenable',
    ]),
    // What they are against is either meant here (code points, labels by default order) or can't be.
    ...every('off', [
      'typescript/no-base-to-string',
      'typescript/no-meaningless-void-operator',
      'typescript/no-misused-spread',
      'typescript/no-redundant-type-constituents',
      'typescript/no-useless-default-assignment',
      'typescript/require-array-sort-compare',
      'typescript/restrict-template-expressions',
      'typescript/unbound-method',
    ]),
    'no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
    'typescript/switch-exhaustiveness-check': ['error', { considerDefaultExhaustiveForUnions: true }],
  },
  overrides: [
    { files: ['**/*.{js,mjs}'], env: { node: true }, rules: every('error', ['no-undef']) },
    {
      files: ['web/src/**/*.{ts,tsx}'],
      plugins: ['eslint', 'typescript', 'react'],
      rules: every('error', ['react/rules-of-hooks', 'react/exhaustive-deps']),
    },
    ...boundaries,
    ...capabilities,
  ],
  ignorePatterns: ['**/dist/**', '.pendro/**', 'test-results/**'],
})
