import js from '@eslint/js'
import reactHooks from 'eslint-plugin-react-hooks'
import ts from 'typescript-eslint'
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

export default ts.config(
  { ignores: ['**/node_modules/', '**/dist/', '.pendro/', 'test-results/'] },
  js.configs.recommended,
  ...ts.configs.recommended,
  {
    files: ['**/*.{ts,tsx}'],
    // Rules that need types are in .oxlintrc.json: a compiled checker asks them in a tenth of the time.
    rules: {
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      'no-console': 'off',
    },
  },
  {
    files: ['**/*.{js,mjs}'],
    languageOptions: {
      globals: {
        process: 'readonly',
        Buffer: 'readonly',
        console: 'readonly',
        setTimeout: 'readonly',
        URL: 'readonly',
      },
    },
  },
  {
    files: ['web/src/**/*.{ts,tsx}'],
    plugins: { 'react-hooks': reactHooks },
    rules: { 'react-hooks/rules-of-hooks': 'error', 'react-hooks/exhaustive-deps': 'error' },
  },
  ...boundaries,
  ...capabilities,
)
