import type { Router } from 'express'
import { changeSetting, dangers, previewSetting, readSettings } from '@pendro/contract'
import type { Deps } from '../app.ts'
import { readOrganisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { mount } from '../http.ts'
import { actor } from '../sign-in/sessions.ts'
import { applyDefaults } from './defaults.ts'
import { settingEffect } from './setting-effect.ts'
import { settingsOf } from './setting-values.ts'

export function settingRoutes(router: Router, { db, now }: Deps): void {
  mount(router, readSettings, async () => ({
    ...settingsOf(await readOrganisation(db)),
    possible: [...dangers.options],
  }))
  mount(router, previewSetting, async ({ body }) => ({
    facts: await settingEffect(db, await readOrganisation(db), body.change, now()),
  }))
  mount(router, changeSetting, async ({ body, who }) => {
    // Whoever asks it of everybody would else be the first to be kept out, and could not take it back.
    const { what, to } = body.change
    if (what === 'second-factor' && to === 'required' && !who.hasFactor)
      throw new AppError('FACTOR_FIRST', { context: 'own' })
    return { change: await applyDefaults(db, { ...body, by: actor(who), now: now() }) }
  })
}
