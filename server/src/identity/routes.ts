import type { Router } from 'express'
import {
  beginIdentity,
  connectIdentity,
  dropIdentity,
  finishIdentity,
  proveByIdentity,
  readIdentity,
  readWaysIn,
} from '@pendro/contract'
import type { Deps } from '../app.ts'
import { Staffers, type StepFacts } from '../db/models/people.ts'
import { organisationNow, readOrganisation, type Organisation } from '../db/organisation.ts'
import { findOne } from '../db/rows.ts'
import { AppError } from '../errors.ts'
import { mount } from '../http.ts'
import { openColleagueSession, personOf, setColleagueCookie } from '../own/access.ts'
import { askForMore, enter, noteFailure, secureOf, type Exchange } from '../sign-in/enter.ts'
import {
  askProvider,
  askWhoItIs,
  wayBack,
  whoCame,
  type Identity,
  type Question,
} from '../sign-in/identity-provider.ts'
import { noteProof, passwordsCount, type OpenSession, type Staffer } from '../sign-in/sessions.ts'
import {
  endStep,
  forgetStepOfBrowser,
  keepStep,
  newStepOfBrowser,
  stepOfBrowser,
  takeChallenge,
  type Step,
} from '../sign-in/steps.ts'
import { slowAll } from '../sign-in/tries.ts'
import { connect, disconnect, identityOf, isOf, joinInvited, stafferBy } from '../staffers/identities.ts'
import { findInvitation } from '../staffers/invitations.ts'

/** Sign-in by the organisation's identity provider (OpenID Connect), for staffers and for colleagues. */
export function identityRoutes(router: Router, deps: Deps): void {
  const { db, now } = deps
  mount(router, readWaysIn, async () => {
    const organisation = await organisationNow(db)
    const { issuer = '', colleagues = false } = organisation?.identityProvider ?? {}
    return {
      provider: calledHere(organisation),
      colleagues: issuer !== '' && colleagues,
      passwords: organisation === null || passwordsCount(organisation),
    }
  })
  // Each asks the provider, and leaves a step behind.
  router.use('/api/session/identity', slowAll(240))
  mount(router, beginIdentity, async ({ body: { as, from, secret }, req, res }) => {
    const { colleagues } = await providerOf(deps)
    if (as === 'colleague' && !colleagues) throw new AppError('NO_PROVIDER')
    const invited = as === 'invited' ? await findInvitation(db, secret ?? '', now()) : null
    return begin(deps, { req, res }, { as, from, ...(invited && { invitation: invited.id }) })
  })
  mount(router, finishIdentity, async ({ body, req, res }) => {
    const id = stepOfBrowser(req)
    const step = await takeChallenge(db, id, now())
    if (id !== null) await endStep(db, id)
    const { as, from = '/' } = step.facts ?? {}
    if (as === undefined) throw new AppError('STEP_OVER')
    const identity = await answered(deps, { req, res }, step, body.answer)
    const done = await finish(deps, { req, res }, step, identity)
    if (done.as !== 'second-step') forgetStepOfBrowser(res)
    return { from, ...done }
  })
  ownRoutes(router, deps)
}

/** What people know the provider as; '' where there is none. */
function calledHere(organisation: Pick<Organisation, 'identityProvider'> | null): string {
  const { issuer = '', name = '' } = organisation?.identityProvider ?? {}
  return issuer === '' ? '' : name || new URL(issuer).hostname
}

/** Of whoever is signed in. */
function ownRoutes(router: Router, deps: Deps): void {
  const { db, now } = deps
  mount(router, readIdentity, async ({ who }) => {
    const organisation = await readOrganisation(db)
    const [kept, staffer] = await Promise.all([
      identityOf(db, who.staffer.id),
      findOne(db, Staffers, { id: who.staffer.id }, { columns: ['password'] }),
    ])
    return {
      provider: calledHere(organisation),
      connectedAt: kept?.made_at.toISOString() ?? null,
      byGroups: Boolean(kept?.by_groups),
      hasPassword: staffer !== null && staffer.password !== '',
      passwords: passwordsCount(organisation),
    }
  })
  mount(router, connectIdentity, ({ who, body: { from }, req, res }) =>
    begin(deps, { req, res }, { as: 'connect', from }, who),
  )
  mount(router, dropIdentity, async ({ who }) => {
    await disconnect(db, who, now())
    return {}
  })
  mount(router, proveByIdentity, async ({ who, body: { from }, req, res }) => {
    if (!(await identityOf(db, who.staffer.id))) throw new AppError('NOT_CONNECTED')
    return begin(deps, { req, res }, { as: 'prove', from }, who)
  })
}

async function providerOf({ db }: Deps) {
  const { identityProvider } = await readOrganisation(db)
  if (!identityProvider || identityProvider.issuer === '') throw new AppError('NO_PROVIDER')
  return identityProvider
}

/** Sends somebody to the provider; what they come back for is kept for this browser alone. */
async function begin(
  deps: Deps,
  { req, res }: Exchange,
  facts: StepFacts,
  who?: OpenSession,
): Promise<{ url: string }> {
  const { db, now, settings } = deps
  const setting = await providerOf(deps)
  const back = wayBack(req, settings)
  const config = await askProvider(setting, settings.PENDRO_PROVIDER_SECRET)
  const { url, question } = await askWhoItIs(config, back, { again: facts.as === 'prove' })
  const { state, nonce, verifier } = question
  const step = newStepOfBrowser(res, secureOf(deps))
  const kept = {
    challenge: `${state} ${nonce}`,
    secret: verifier,
    facts,
    staffer_id: who?.staffer.id ?? null,
  }
  await keepStep(db, step, kept, now())
  return { url }
}

async function answered(
  deps: Deps,
  { req }: Exchange,
  { challenge, secret, facts }: Step,
  answer: string,
): Promise<Identity> {
  const { settings } = deps
  const setting = await providerOf(deps)
  const url = new URL(wayBack(req, settings))
  url.search = answer
  const [state = '', nonce = ''] = (challenge ?? '').split(' ')
  const question: Question = { state, nonce, verifier: secret ?? '' }
  const config = await askProvider(setting, settings.PENDRO_PROVIDER_SECRET)
  const { groupsClaim } = setting
  return whoCame(config, url, question, { groupsClaim, again: facts?.as === 'prove' })
}

/** Does what the step was for, now that it is known who came. */
async function finish(deps: Deps, exchange: Exchange, { facts, staffer_id }: Step, identity: Identity) {
  const { db, now } = deps
  switch (facts?.as) {
    case 'colleague':
      await letColleagueIn(deps, exchange, identity)
      return { as: 'colleague' as const }
    case 'connect':
      await connect(db, needSame(exchange, staffer_id), identity, now())
      return { as: 'connected' as const }
    case 'prove': {
      const who = needSame(exchange, staffer_id)
      if (!(await isOf(db, identity, who.staffer.id))) throw new AppError('IDENTITY_TAKEN')
      await noteProof(db, who, now())
      return { as: 'proven' as const }
    }
    case 'invited':
      return letIn(deps, exchange, await joinInvited(db, identity, facts.invitation ?? 0, now()), identity)
    default:
      return letIn(deps, exchange, await known(deps, identity), identity)
  }
}

/** Who began it, still signed in in this browser. */
function needSame({ res }: Exchange, stafferId: number | null): OpenSession {
  const who = res.locals.signedIn as OpenSession | undefined
  if (!who || who.isProgram || who.staffer.id !== stafferId) throw new AppError('STEP_OVER')
  return who
}

async function known(deps: Deps, identity: Identity): Promise<Staffer> {
  const { grants } = await providerOf(deps)
  try {
    return await stafferBy(deps.db, identity, grants, deps.now())
  } catch (error) {
    if (error instanceof AppError) await noteFailure(deps, identity.signIn, 'identity')
    throw error
  }
}

/** A second factor of one's own is asked for unless the provider asked for one. */
async function letIn(deps: Deps, exchange: Exchange, staffer: Staffer, { hasSecondFactor }: Identity) {
  const factors = hasSecondFactor ? null : await askForMore(deps, exchange, staffer, 'identity')
  if (factors) return { as: 'second-step' as const, factors }
  const session = await enter(deps, exchange, staffer, hasSecondFactor ? 'identity-factor' : 'identity')
  return { as: 'staffer' as const, session }
}

async function letColleagueIn(deps: Deps, { res }: Exchange, { address }: Identity): Promise<void> {
  const { db, now } = deps
  if (!(await providerOf(deps)).colleagues) throw new AppError('NO_PROVIDER')
  if (address === null) throw new AppError('PROVIDER_FAILED', { context: 'address' })
  const person = await personOf(db, address)
  if (!person) throw new AppError('NOT_KNOWN_HERE', { context: 'mailbox', address })
  setColleagueCookie(res, await openColleagueSession(db, person.id, now()), secureOf(deps))
}
