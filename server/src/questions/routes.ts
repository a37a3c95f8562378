import type { Router } from 'express'
import { wouldReach } from '@pendro/contract'
import type { Deps } from '../app.ts'
import { mount } from '../http.ts'
import { answerQuestion } from './question.ts'

export function questionRoutes(router: Router, { db, now }: Deps): void {
  mount(router, wouldReach, ({ query, who }) => answerQuestion(db, who.scope, query, now()))
}
