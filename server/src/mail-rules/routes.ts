import type { Router } from 'express'
import { addMailRule, listMailRules, readMailRule, switchMailRule } from '@pendro/contract'
import type { Deps } from '../app.ts'
import { mount } from '../http.ts'
import { actor } from '../sign-in/sessions.ts'
import { addRule, listRules, switchRule } from './rules.ts'
import { readRule } from './sheet.ts'

export function mailRuleRoutes(router: Router, { db, now }: Deps): void {
  mount(router, listMailRules, async ({ params }) => ({ rules: await listRules(db, params.id) }))
  mount(router, addMailRule, async ({ params, body, who }) => ({
    id: await addRule(db, actor(who), params.id, body, now()),
  }))
  mount(router, readMailRule, ({ params }) => readRule(db, params.id, now()))
  mount(router, switchMailRule, async ({ params, body, who }) => {
    await switchRule(db, actor(who), params.id, body.on, now())
    return {}
  })
}
