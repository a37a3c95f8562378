import { z } from 'zod'
import { endpoint } from './endpoint.ts'
import { mailRule, mailRuleDraft, rulesEffect } from './mail-rule-endpoints.ts'
import { digestLanguage, id, idInPath } from './shapes.ts'

/**
 * A rule as colleagues write it. It may file, mark and keep out; it may not let in what the score would hold: a safe sender
 * asks for proof, and a subject proves nothing.
 */
const ownDraft = mailRuleDraft.refine(({ action }) => action.hold !== 'let-in', {
  error: 'lets in what would be held; trust the sender instead',
})

const version = z.number().int()

/** One change of a colleague's own rules. */
export const ownRulesChange = z.discriminatedUnion('act', [
  z.object({ act: z.literal('add'), draft: ownDraft }),
  z.object({ act: z.literal('edit'), id, version, draft: ownDraft }),
  z.object({ act: z.literal('remove'), id, version }),
  z.object({ act: z.literal('switch'), id, on: z.boolean() }),
])
/** A checked {@link ownRulesChange}. */
export type OwnRulesChange = z.infer<typeof ownRulesChange>

/** In the order they are asked. `folders`: those that rules name or mail went to. */
export const readOwnRules = endpoint({
  method: 'get',
  path: '/api/own/rules',
  summary: 'A colleague’s own mail rules',
  roles: 'colleague',
  response: z.object({ rules: z.array(mailRule), folders: z.array(z.string()), language: digestLanguage }),
})
/** The answer of {@link readOwnRules}. */
export type OwnRules = z.infer<typeof readOwnRules.response>

/** Changes nothing. */
export const previewOwnRules = endpoint({
  method: 'post',
  path: '/api/own/rules/effect',
  summary: 'Which of one’s mail of the last 30 days a change of one’s rules would have touched',
  roles: 'colleague',
  body: z.object({ change: ownRulesChange }),
  response: rulesEffect,
  problems: ['MAIL_RULE_NOT_FOUND', 'MAIL_RULE_CHANGED', 'TOO_MANY_RULES'],
})

/** They count for mail from now on. One act with a line in the record. */
export const changeOwnRules = endpoint({
  method: 'post',
  path: '/api/own/rules/changes',
  summary: 'Change one’s own mail rules; the number is for its undo',
  roles: 'colleague',
  own: 'rules',
  body: z.object({ change: ownRulesChange, token: z.uuid() }),
  response: z.object({ change: id }),
  problems: [
    'NOT_ON_OWN_PAGE',
    'MAIL_RULE_NOT_FOUND',
    'MAIL_RULE_CHANGED',
    'TOO_MANY_RULES',
    'NOTHING_TO_DO',
  ],
})

/** Refused when something was built on it. Of somebody else's mailbox it is told as little as that it exists. */
export const undoOwnChange = endpoint({
  method: 'post',
  path: '/api/own/changes/{id}/undo',
  summary: 'Take a change of one’s own mailbox or rules back',
  roles: 'colleague',
  params: z.object({ id: idInPath }),
  response: z.object({}),
  problems: ['CHANGE_NOT_FOUND', 'MAILBOX_CHANGED', 'ALREADY_UNDONE'],
})

/** Requests about a colleague's own rules, by name. */
export const ownRuleEndpoints = { readOwnRules, previewOwnRules, changeOwnRules, undoOwnChange }
