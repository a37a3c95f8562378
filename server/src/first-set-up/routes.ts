import type { Router } from 'express'
import { beginSetUp, setUpNeeded } from '@pendro/contract'
import type { Deps } from '../app.ts'
import { isDuplicate } from '../db/database.ts'
import { exists } from '../db/rows.ts'
import { Organisations } from '../db/models/organisation.ts'
import { AppError } from '../errors.ts'
import { mount } from '../http.ts'
import { setUp } from '../set-up.ts'
import { isEasyToGuess } from '../sign-in/easy-passwords.ts'
import { readSetUp } from './read.ts'

export function firstSetUpRoutes(router: Router, { db }: Deps): void {
  mount(router, setUpNeeded, async () => ({
    needed: !(await exists(db, Organisations, {})),
  }))

  mount(router, beginSetUp, async ({ body }) => {
    const read = readSetUp(body)
    if (!read.ok) throw new AppError('BAD_SET_UP', { wrong: read.problem })
    if (await exists(db, Organisations, {})) throw new AppError('ALREADY_SET_UP')
    if (await isEasyToGuess(body.password, [body.name, body.signIn, body.organisation, body.ownDomains]))
      throw new AppError('EASY_PASSWORD')
    try {
      await setUp(db, read.value)
    } catch (error) {
      if (isDuplicate(error)) throw new AppError('ALREADY_SET_UP')
      throw error
    }
    return { mailboxes: read.value.mailboxes.length }
  })
}
