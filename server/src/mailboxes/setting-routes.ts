import type { Router } from 'express'
import {
  changeSetting,
  dangers,
  previewLetter,
  previewSetting,
  readSettings,
  type SettingChange,
} from '@pendro/contract'
import type { Deps } from '../app.ts'
import { readOrganisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { mount } from '../http.ts'
import { askProvider } from '../sign-in/identity-provider.ts'
import { actor } from '../sign-in/sessions.ts'
import { applyDefaults } from './defaults.ts'
import { settingEffect } from './setting-effect.ts'
import { sampleLetter } from './sample-letter.ts'
import { checkLetters, readSetting, settingsOf } from './setting-values.ts'

export function settingRoutes(router: Router, { db, now, settings }: Deps): void {
  mount(router, readSettings, async () => ({
    ...settingsOf(await readOrganisation(db)),
    possible: [...dangers.options],
  }))
  mount(router, previewSetting, async ({ body, who }) => {
    const facts = await settingEffect(db, await readOrganisation(db), body.change, now())
    // Whoever may not set it has nobody called for them.
    const answers = who.staffer.role === 'steward' && (await tryProvider(body.change, settings))
    return { facts: { ...facts, ...(answers && { answers: 1 }) } }
  })
  mount(router, previewLetter, async ({ body: { letters, kind, language } }) => {
    checkLetters(letters)
    const organisation = { ...(await readOrganisation(db)), letters }
    return sampleLetter(organisation, { kind, language, publicUrl: settings.PENDRO_PUBLIC_URL, now: now() })
  })
  mount(router, changeSetting, async ({ body, who }) => {
    // Whoever asks it of everybody would else be the first to be kept out, and could not take it back.
    const { what, to } = body.change
    if (what === 'second-factor' && to === 'required' && !who.hasFactor && !who.provesElsewhere)
      throw new AppError('FACTOR_FIRST', { context: 'own' })
    await tryProvider(readSetting(body.change, await readOrganisation(db)), settings)
    return { change: await applyDefaults(db, { ...body, by: actor(who), now: now() }) }
  })
}

/** Whether a provider answered that is new, or called otherwise; one that does not throws: a slip in its address would show at the next sign-in only. */
async function tryProvider(
  change: SettingChange,
  { PENDRO_PROVIDER_SECRET }: Deps['settings'],
): Promise<boolean> {
  if (change.what !== 'identity-provider') return false
  const { was, to } = change
  if (to.issuer === '' || (was.issuer === to.issuer && was.clientId === to.clientId)) return false
  await askProvider(to, PENDRO_PROVIDER_SECRET)
  return true
}
