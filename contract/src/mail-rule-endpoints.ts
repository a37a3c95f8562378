import { z } from 'zod'
import { attachmentKinds } from '@pendro/core/mail-rules'
import { endpoint, everyone, fileEndpoint, writers } from './endpoint.ts'
import { folderName, id, idInPath, moment, placeOfMail } from './shapes.ts'

export { attachmentKinds, type AttachmentKind } from '@pendro/core/mail-rules'

/** What a condition can look at, in the order a form offers it. */
export const ruleFields = ['from', 'to', 'subject', 'body', 'list', 'attachment', 'kind', 'size'] as const
/** How a text can be compared. */
export const ruleTests = ['contains', 'is', 'begins', 'matches'] as const

/** So many values a condition may have; one is enough. */
export const mostValues = 100

const values = z.array(z.string().trim().min(1).max(200)).min(1).max(mostValues)

const condition = z.union([
  z.object({
    field: z.enum(['from', 'to', 'subject', 'list', 'body', 'attachment']),
    test: z.enum(ruleTests),
    values,
  }),
  z.object({
    field: z.literal('kind'),
    test: z.literal('is'),
    values: z.array(z.enum(attachmentKinds)).min(1),
  }),
  z.object({
    field: z.literal('size'),
    test: z.enum(['over', 'under']),
    bytes: z.number().int().min(0).max(1_000_000_000),
  }),
])
/** A checked condition of a rule. */
export type RuleConditionShape = z.infer<typeof condition>

const place = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('folder'), folder: folderName }),
  z.object({ kind: z.literal('inbox') }),
  z.object({ kind: z.literal('aside') }),
])

/** What a rule does: whether the message is held, where it goes when it goes on, and whether it is marked. */
const action = z
  .object({
    hold: z.enum(['let-in', 'junk', 'discarded']).nullable(),
    place: place.nullable(),
    important: z.boolean(),
    /** Rules below are not asked. */
    stop: z.boolean(),
  })
  .refine(({ hold, place, important }) => hold !== null || place !== null || important, {
    error: 'says at least one thing to do',
  })

/** A mail rule that is not stored yet. `needs`: whether all conditions must hold or one; compared as the tests of RFC 5228 are. */
export const mailRuleDraft = z.object({
  name: z.string().trim().min(1).max(120),
  needs: z.enum(['all', 'any']),
  conditions: z.array(condition).min(1).max(20),
  action,
})
/** A checked {@link mailRuleDraft}. */
export type MailRuleDraft = z.infer<typeof mailRuleDraft>

/** A stored mail rule, in its order. */
export const mailRule = mailRuleDraft.extend({
  id,
  /** Off: it is kept, and matches nothing. */
  on: z.boolean(),
  madeAt: moment,
  /** Counts its changes: who changes it says which one they saw. */
  version: z.number().int(),
})
/** A stored mail rule, as it travels. */
export type MailRuleShape = z.infer<typeof mailRule>

/** `null`: the rules of the organisation, which are asked after each mailbox’s own. */
const owner = id.nullable()

/** Rules that are switched off are among them. */
export const listMailRules = endpoint({
  method: 'get',
  path: '/api/mail-rules',
  summary: 'The mail rules of a mailbox, or of the organisation, in the order they are asked',
  roles: everyone,
  scope: { 'query.mailbox': 'mailbox' },
  query: z.object({ mailbox: z.coerce.number().int().positive().optional() }),
  response: z.object({
    mailbox: z.object({ id, name: z.string() }).nullable(),
    rules: z.array(mailRule),
    /** Folders that rules of this mailbox know. */
    folders: z.array(z.string()),
  }),
  problems: ['MAILBOX_NOT_FOUND'],
})

const count = z.number().int()

/** What is odd about a rule; `by`: the rule above that makes it so. */
const ruleFinding = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('never') }),
  z.object({ kind: z.literal('everything') }),
  z.object({ kind: z.literal('repeats'), by: id, byName: z.string() }),
  z.object({ kind: z.literal('unreachable'), by: id, byName: z.string() }),
])
/** A checked {@link ruleFinding}. */
export type RuleFindingShape = z.infer<typeof ruleFinding>

/** Reads the mail of the last 30 days again, the newest 5,000 of it at most. */
export const readRulesWork = endpoint({
  method: 'get',
  path: '/api/mail-rules/work',
  summary: 'What each rule did in the last 30 days, and what is odd about it',
  roles: everyone,
  scope: { 'query.mailbox': 'mailbox' },
  query: z.object({ mailbox: z.coerce.number().int().positive().optional() }),
  response: z.object({
    looked: count,
    of: count,
    rules: z.array(z.object({ id, matched: count, acted: count, finding: ruleFinding.nullable() })),
  }),
  problems: ['MAILBOX_NOT_FOUND'],
})
/** The answer of {@link readRulesWork}. */
export type RulesWork = z.infer<typeof readRulesWork.response>

const seenVersion = z.number().int()

/** One change of the rules of a mailbox or of the organisation. */
export const rulesChange = z.discriminatedUnion('act', [
  z.object({
    act: z.literal('add'),
    draft: mailRuleDraft,
    /** Its place from 0; left out: at the end. */ at: count.min(0).optional(),
  }),
  z.object({ act: z.literal('edit'), id, version: seenVersion, draft: mailRuleDraft }),
  z.object({ act: z.literal('remove'), id, version: seenVersion }),
  z.object({ act: z.literal('switch'), id, on: z.boolean() }),
  /** All rules, in their new order; one that is missing or new says that somebody else was first. */
  z.object({ act: z.literal('order'), ids: z.array(id).min(1).max(500) }),
  /** What was read of a script, behind the rules there are. */
  z.object({ act: z.literal('bring-in'), drafts: z.array(mailRuleDraft).min(1).max(500) }),
  z.object({ act: z.literal('copy'), ids: z.array(id).min(1).max(500), to: z.array(id).min(1).max(200) }),
])
/** A checked {@link rulesChange}. */
export type RulesChange = z.infer<typeof rulesChange>

const rulePlace = z.object({ state: placeOfMail, folder: z.string() })

/** What a change comes to, by mail already seen. */
export const rulesEffect = z.object({
  days: count,
  looked: count,
  /** So many there are of all; more than `looked` when only the newest were looked at. */
  of: count,
  matched: count,
  changed: count,
  wantedHeld: count,
  harmfulLetIn: count,
  moves: z.array(z.object({ from: rulePlace, to: rulePlace, deliveries: count })),
  examples: z.array(
    z.object({
      deliveryId: id,
      from: z.string(),
      subject: z.string(),
      receivedAt: moment,
      mailboxName: z.string(),
      was: rulePlace,
      would: rulePlace,
      /** What decided whether it is held: where it is not 'rules', a rule had no say in that. */
      decidedBy: z.string(),
    }),
  ),
  finding: ruleFinding.nullable(),
})
/** The answer of {@link previewRulesChange}. */
export type RulesEffect = z.infer<typeof rulesEffect>

/** Changes nothing. */
export const previewRulesChange = endpoint({
  method: 'post',
  path: '/api/mail-rules/effect',
  summary: 'Which mail of the last 30 days a change of mail rules would have touched, and where it would be',
  roles: everyone,
  scope: { 'body.mailbox': 'mailbox', 'body.change.to': 'mailbox' },
  body: z.object({ mailbox: owner, change: rulesChange }),
  response: rulesEffect,
  problems: ['MAILBOX_NOT_FOUND', 'MAIL_RULE_NOT_FOUND', 'MAIL_RULE_CHANGED', 'TOO_MANY_RULES'],
})

/**
 * Mail that is there already is not moved. One act with a line in the record. MAIL_RULE_CHANGED: somebody else was first;
 * nothing is done. TOO_MANY_RULES: a mailbox has 500 at most. Rules of the organisation are the stewards'.
 */
export const changeRules = endpoint({
  method: 'post',
  path: '/api/mail-rules/changes',
  summary: 'Change mail rules; they count for mail from now on. The number is for its undo',
  roles: writers,
  scope: { 'body.mailbox': 'mailbox', 'body.change.to': 'mailbox' },
  body: z.object({
    mailbox: owner,
    change: rulesChange,
    reason: z.string().trim().max(1000).default(''),
    token: z.uuid(),
  }),
  response: z.object({ change: id, /** Rules that were added. */ added: z.array(id) }),
  problems: [
    'MAILBOX_NOT_FOUND',
    'MAIL_RULE_NOT_FOUND',
    'MAIL_RULE_CHANGED',
    'TOO_MANY_RULES',
    'NEEDS_STEWARD',
    'NOTHING_TO_DO',
  ],
})

/** "Without it" is decided anew by the whole path, not guessed. */
export const readMailRule = endpoint({
  method: 'get',
  path: '/api/mail-rules/{id}',
  summary: 'One mail rule with what it did in the last 30 days, and where that mail would be without it',
  roles: everyone,
  scope: { 'params.id': 'mail-rule' },
  params: z.object({ id: idInPath }),
  response: mailRule.extend({
    /** `null`: the organisation's. */
    mailboxId: owner,
    mailboxName: z.string(),
    effect: rulesEffect,
  }),
  problems: ['MAIL_RULE_NOT_FOUND'],
})
/** The answer of {@link readMailRule}. */
export type MailRuleSheet = z.infer<typeof readMailRule.response>

/** The sender's address, or the mailing list, and nothing to do yet. */
export const suggestMailRule = endpoint({
  method: 'get',
  path: '/api/deliveries/{id}/mail-rule',
  summary: 'The beginning of a mail rule for messages like this one',
  roles: everyone,
  scope: { 'params.id': 'delivery' },
  params: z.object({ id: idInPath }),
  response: z.object({
    mailbox: z.object({ id, name: z.string() }),
    name: z.string(),
    conditions: z.array(condition),
  }),
  problems: ['DELIVERY_NOT_FOUND'],
})

/** Why a rule stays one: what it does, asks for, stands behind, meets in the lists, or did differently over a month. */
export const whyRuleStays = z.enum(['does-more', 'asks-more', 'rule-above', 'safe-entry', 'replay'])

const foldPreview = z.object({
  folds: z.array(
    z.object({
      id,
      name: z.string(),
      patterns: z.array(z.string()),
      /** Entries made for it; 0: others cover it. */ made: count,
    }),
  ),
  stays: z.array(z.object({ id, name: z.string(), why: whyRuleStays })),
  entries: count,
  /** Of the rules that go: those that discard; as entries, their mail goes to the junk folder. */
  discards: count,
  looked: count,
  of: count,
  /** Deliveries that one of the rules matched. */
  matched: count,
  /** Of all: in another place, and held before and after. */
  elsewhere: count,
})
/** What folding comes to. */
export type FoldPreview = z.infer<typeof foldPreview>

/** Changes nothing. Rules that would not do the same as an entry stay, with the reason. */
export const previewFold = endpoint({
  method: 'get',
  path: '/api/mailboxes/{id}/mail-rules/fold',
  summary:
    'Which mail rules of a mailbox only keep senders out, and would become sender entries with the same effect',
  roles: everyone,
  scope: { 'params.id': 'mailbox' },
  params: z.object({ id: idInPath }),
  response: foldPreview,
  problems: ['MAILBOX_NOT_FOUND'],
})

/** One ruling, with one undo that brings the rules back. MAIL_RULE_CHANGED: it would be other rules by now. */
export const foldRules = endpoint({
  method: 'post',
  path: '/api/mailboxes/{id}/mail-rules/fold',
  summary: 'Make sender entries of the mail rules that only keep senders out',
  roles: writers,
  scope: { 'params.id': 'mailbox' },
  params: z.object({ id: idInPath }),
  body: z.object({
    rules: z.array(id).min(1).max(500),
    reason: z.string().trim().max(1000).default(''),
    token: z.uuid(),
  }),
  response: z.object({ rulingId: id, rules: count, entries: count }),
  problems: ['MAILBOX_NOT_FOUND', 'MAIL_RULE_CHANGED', 'NOTHING_TO_DO'],
})

/** Mailboxes whose rules mostly block one sender each. */
export const listFoldable = endpoint({
  method: 'get',
  path: '/api/mail-rules/foldable',
  summary: 'Mailboxes with many mail rules that only block one sender each',
  roles: everyone,
  scope: {},
  response: z.object({
    mailboxes: z.array(z.object({ mailboxId: id, name: z.string(), rules: count, all: count })),
  }),
})

/** A script of RFC 5228. What Sieve has no words for is left out and named in a comment at its top. */
export const exportMailRules = fileEndpoint({
  path: '/api/mail-rules/sieve',
  summary: 'The mail rules of a mailbox, or of the organisation, as a Sieve script',
  roles: everyone,
  scope: { 'query.mailbox': 'mailbox' },
  fresh: true,
  query: z.object({ mailbox: z.coerce.number().int().positive().optional() }),
  gives: ['application/sieve'],
  problems: ['MAILBOX_NOT_FOUND'],
})

/** The longest script that is read, in characters. */
export const longestSieve = 200_000

/** Why a part of a script was left out; 'once' is taken, and told. */
export const whySieveLeft = z.enum([
  'negated',
  'nested',
  'test',
  'header',
  'match',
  'action',
  'several-places',
  'always',
  'else',
  'goes-on',
  'once',
  'edited',
  'nothing',
])

/** What could not be taken from a script, by line. */
export const sieveLeft = z.array(z.object({ line: count, why: whySieveLeft, text: z.string() }))

/** Changes nothing. What can't be taken leaves its whole rule out, with a line that says why. */
export const readSieveScript = endpoint({
  method: 'post',
  path: '/api/mail-rules/sieve',
  summary: 'Read a Sieve script as far as mail rules can say the same',
  roles: writers,
  scope: 'own',
  body: z.object({ script: z.string().max(1_000_000) }),
  response: z.object({ rules: z.array(mailRuleDraft), left: sieveLeft }),
  problems: ['BAD_SCRIPT'],
})
/** The answer of {@link readSieveScript}. */
export type SieveReading = z.infer<typeof readSieveScript.response>

/** Requests about mail rules, by name. */
export const mailRuleEndpoints = {
  listMailRules,
  readRulesWork,
  previewRulesChange,
  changeRules,
  readMailRule,
  suggestMailRule,
  previewFold,
  foldRules,
  listFoldable,
  exportMailRules,
  readSieveScript,
}
