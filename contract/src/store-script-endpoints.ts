import { z } from 'zod'
import { endpoint, everyone, writers } from './endpoint.ts'
import { mailRuleDraft, sieveLeft } from './mail-rule-endpoints.ts'
import { idInPath, moment } from './shapes.ts'
import { storeTrouble } from './store-endpoints.ts'

/**
 * How what is kept stands: not there yet, in place, changed by somebody else, there and not run since another script is, or taken out
 * again.
 */
export const scriptState = z.enum(['waiting', 'kept', 'changed', 'not-run', 'out'])
/** One of {@link scriptState}. */
export type ScriptStateName = z.infer<typeof scriptState>

const rulesDiffer = z.object({
  /** Rules that only the store has. */
  there: z.array(mailRuleDraft),
  /** Rules that only Pendro has. */
  here: z.array(mailRuleDraft),
  /** Rules that both have stand in another order. */
  isReordered: z.boolean(),
  /** What the store’s script says that our rules can’t say. */
  left: sieveLeft,
})
/** What a change at the store comes to, in rules. */
export type RulesDifferShape = z.infer<typeof rulesDiffer>

const storeScript = z.object({
  /** `false`: the store of this mailbox keeps no scripts. */
  keeps: z.boolean(),
  /** The store is set so that they are taken out again. */
  takenOut: z.boolean(),
  /** The store’s name; '' where it has none. */
  store: z.string(),
  state: scriptState,
  keptAt: moment.nullable(),
  lookedAt: moment.nullable(),
  trouble: storeTrouble,
  /** What the store said; '' for nothing. */
  detail: z.string(),
  /** The colleague’s own script that is run after Pendro’s, or would be; '' for none. */
  own: z.string(),
  /** The script that is run at the store; '' for none. */
  runs: z.string(),
  /** Names of mail rules that Sieve has no words for. */
  left: z.array(z.string()),
  /** The colleague’s own script answers mail, and the automatic reply does. */
  answersTwice: z.boolean(),
  /** Something is on its way to the store. */
  isDue: z.boolean(),
  /** As Pendro would have them, and as they are; `null`: there is none. */
  scripts: z.array(z.object({ name: z.string(), here: z.string(), there: z.string().nullable() })),
  /** What somebody’s change comes to in rules; `null`: the rules’ script is as it was, is gone, or can’t be read as one. */
  differ: rulesDiffer.nullable(),
  /** Names what was found, so that nobody overwrites what they have not seen; '' where nothing differs. */
  seen: z.string(),
  canUndo: z.boolean(),
})
/** How the mail rules and the automatic reply of a mailbox stand at its store. */
export type StoreScriptShape = z.infer<typeof storeScript>

/** As of the last look; `fresh` has Pendro look first. */
export const readStoreScript = endpoint({
  method: 'get',
  path: '/api/mailboxes/{id}/script',
  summary: 'Mail rules and automatic reply of a mailbox as its mail store keeps them (Sieve by RFC 5804)',
  roles: everyone,
  scope: { 'params.id': 'mailbox' },
  params: z.object({ id: idInPath }),
  query: z.object({ fresh: z.enum(['yes', 'no']).default('no') }),
  response: storeScript,
  problems: ['MAILBOX_NOT_FOUND'],
})

/** Only what was shown is overwritten. The colleague’s own script is run after Pendro’s. */
export const putStoreScript = endpoint({
  method: 'post',
  path: '/api/mailboxes/{id}/script',
  summary: 'Put Pendro’s mail rules and automatic reply in place of what was changed at the mail store',
  roles: writers,
  scope: { 'params.id': 'mailbox' },
  params: z.object({ id: idInPath }),
  body: z.object({ seen: z.string().max(64), reason: z.string().trim().max(1000).default('') }),
  response: storeScript,
  problems: ['MAILBOX_NOT_FOUND', 'STORE_NOT_OPEN', 'STORE_TROUBLE', 'MAILBOX_CHANGED', 'NOTHING_TO_DO'],
})

/** What somebody has changed since stays. */
export const undoStoreScript = endpoint({
  method: 'post',
  path: '/api/mailboxes/{id}/script/undo',
  summary: 'Bring back what was changed at the mail store before Pendro’s was put in its place',
  roles: writers,
  scope: { 'params.id': 'mailbox' },
  params: z.object({ id: idInPath }),
  response: storeScript,
  problems: ['MAILBOX_NOT_FOUND', 'STORE_NOT_OPEN', 'STORE_TROUBLE', 'MAILBOX_CHANGED', 'ALREADY_UNDONE'],
})

/** Requests about scripts at mail stores, by name. */
export const storeScriptEndpoints = { readStoreScript, putStoreScript, undoStoreScript }
