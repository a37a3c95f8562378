import type { RequestHandler, Router } from 'express'
import {
  actOwn,
  askCode,
  askOwnDigest,
  askWhere,
  changeOwnRules,
  changeOwnSenders,
  digestLink,
  enterOwn,
  eraseOwn,
  leaveOwn,
  ownMail,
  ownQuestions,
  ownSenders,
  ownSheet,
  ownView,
  readOwnQuestion,
  readOwnSession,
  readOwnAway,
  readOwnReply,
  readOwnSettings,
  previewOwnRules,
  readOwnJunk,
  readOwnRules,
  setOwnJunk,
  undoOwnChange,
  revokeOwn,
  chooseOwnPassword,
  setOwnAway,
  setOwnReply,
  setOwnSettings,
  undoOwn,
  writeOwnQuestion,
  type OwnSession,
} from '@pendro/contract'
import type { Deps } from '../app.ts'
import { select, type Database } from '../db/database.ts'
import { findMailboxRow, readOrganisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { mount, mountFile } from '../http.ts'
import { readSafeView, safeViewHeaders } from '../review/safe-view.ts'
import { eraseForGood } from '../rulings/erase.ts'
import { undoRuling } from '../rulings/undo.ts'
import { readCookie } from '../sign-in/requests.ts'
import { actor, passwordsCount } from '../sign-in/sessions.ts'
import { knownDevice, rememberDevice, throttle } from '../sign-in/tries.ts'
import { openEnquiry } from '../whereabouts/enquiries.ts'
import { markRead, questionsOf, takeWords } from '../whereabouts/letters.ts'
import { spokenLanguage } from '../wording.ts'
import {
  askForCode,
  closeColleagueSession,
  codeMinutes,
  colleagueCookie,
  findColleague,
  hasPassword,
  openColleagueSession,
  prove,
  needMay,
  revoke,
  setColleagueCookie,
  choosePassword,
  type SignedInColleague,
} from './access.ts'
import { sendFreshDigest } from '../digests/digests.ts'
import { readLink } from '../digests/links.ts'
import { actOn, ownMessage, ownPage, refuseOthers } from './mail.ts'
import { changeOwn, ownEntries } from './senders.ts'
import { readAwayOf, readReplyOf, setAwayOf, setReplyOf } from './away.ts'
import { changeRulesOf, previewRulesOf, readRulesOf, undoChangeOf } from './rules.ts'
import { readJunkOf, readSettingsOf, setJunkOf, writeSettingsOf } from './settings.ts'
import { readHere } from '../reading/reader.ts'

/** Puts the colleague of this device into `res.locals.colleague`; nobody is no error here. */
export function recogniseColleague({ db, now }: Deps): RequestHandler {
  return async (req, res, next) => {
    const token = readCookie(req, colleagueCookie)
    if (token) res.locals.colleague = (await findColleague(db, token, now())) ?? undefined
    next()
  }
}

export function ownRoutes(router: Router, deps: Deps): void {
  signInRoutes(router, deps)
  mailRoutes(router, deps)
  settingRoutes(router, deps)
  ruleRoutes(router, deps)
}

function signInRoutes(router: Router, { db, now, queued, settings }: Deps): void {
  const secure = settings.PENDRO_SECURE_COOKIES === 'yes'
  const throttled = throttle(db, 20, body => body['address'])
  router.use('/api/own/session', throttled)
  router.use('/api/own/code', throttled)
  mount(router, askCode, async ({ body: { address }, req }) => {
    await askForCode(db, { address, device: await knownDevice(db, req, address) }, now())
    queued()
    return { minutes: codeMinutes }
  })
  mount(router, enterOwn, async ({ body, req, res }) => {
    if ('password' in body && !passwordsCount(await readOrganisation(db))) throw new AppError('PASSWORDS_OFF')
    const device = await knownDevice(db, req, body.address)
    const mailboxId = await prove(db, { ...body, device }, now())
    const token = await openColleagueSession(db, mailboxId, now(), { byCode: 'code' in body })
    setColleagueCookie(res, token, { secure })
    await rememberDevice(db, { req, res }, body.address, { secure })
    const colleague = await findColleague(db, token, now())
    if (!colleague) throw new AppError('OWN_SIGN_IN_FAILED')
    return describe(db, colleague)
  })
  mount(router, readOwnSession, ({ colleague }) => describe(db, colleague))
  mount(router, leaveOwn, async ({ req, res }) => {
    const token = readCookie(req, colleagueCookie)
    if (token) await closeColleagueSession(db, token)
    res.clearCookie(colleagueCookie, { path: '/' })
    return {}
  })
  mount(router, digestLink, async ({ params, res }) => {
    const { state, facts } = await readLink(db, params.token, now())
    const mailbox = facts && (await findMailboxRow(db, facts.mailboxId))
    if (!facts || !mailbox) return { state: 'no-link' as const, address: '', language: '', deliveryId: null }
    const reader = res.locals.colleague as SignedInColleague | undefined
    return {
      state,
      // The minders of a shared mailbox sign in as themselves.
      address: mailbox.kind === 'person' ? mailbox.address : '',
      language: spokenLanguage(mailbox.language),
      deliveryId: reader?.mailboxIds.includes(facts.mailboxId) ? facts.deliveryId : null,
    }
  })
}

async function describe(
  db: Database,
  { id, name, address, csrf, may, byCode, mailboxIds }: SignedInColleague,
): Promise<OwnSession> {
  const [organisation, mailbox, known, minds] = await Promise.all([
    readOrganisation(db),
    findMailboxRow(db, id),
    hasPassword(db, id),
    select<{ id: number; name: string }>(
      db,
      'SELECT id, name FROM mailboxes WHERE id IN (:mailboxIds) AND id <> :id ORDER BY name',
      { mailboxIds, id },
    ),
  ])
  return {
    name,
    address,
    csrf,
    language: spokenLanguage(mailbox?.language ?? 'en'),
    timeZone: mailbox?.time_zone ?? organisation.timeZone,
    organisation: organisation.name,
    hasPassword: known,
    asksOldPassword: known && !byCode,
    minds,
    may: { ...may },
  }
}

function mailRoutes(router: Router, { db, now, queued, log, settings, reader = readHere }: Deps): void {
  mount(router, ownMail, ({ query, colleague }) => ownPage(db, colleague, query, now()))
  mount(router, ownSheet, ({ params, colleague }) =>
    ownMessage(db, colleague, params.id, { now: now(), read: reader.read }),
  )
  mount(router, actOwn, async ({ body, colleague }) => {
    // Sending to oneself changes no list.
    if (body.act !== 'send') needMay(colleague, 'senders')
    const ruling = await actOn(db, colleague, body, now())
    log.ruled(ruling.id, colleague.id, ruling.deliveries.length)
    queued()
    return {
      rulingId: ruling.id,
      deliveries: [...ruling.deliveries],
      patterns: ruling.added.map(({ pattern }) => pattern),
    }
  })
  mount(router, eraseOwn, async ({ body, colleague }) => {
    await eraseForGood(db, { colleague }, [body.delivery], now())
    return {}
  })
  mount(router, askOwnDigest, async ({ colleague }) => {
    const given = { now: now(), publicUrl: settings.PENDRO_PUBLIC_URL }
    const listed = await sendFreshDigest(db, { colleague }, given)
    queued()
    return { listed }
  })
  mount(router, undoOwn, async ({ params, colleague }) => {
    const { stayedReleased } = await undoRuling(db, { colleague }, params.id, now())
    return { stayedReleased }
  })
  mountFile(router, ownView, async ({ params: { id }, query, colleague, res }) => {
    await refuseOthers(db, colleague, id)
    const asked = { form: query.as, pictures: false, pictureSetting: 'off' }
    res.set(safeViewHeaders).send(await readSafeView(db, id, asked, reader))
  })
}

function ruleRoutes(router: Router, { db, now, reader }: Deps): void {
  mount(router, readOwnRules, ({ colleague }) => readRulesOf(db, colleague))
  mount(router, previewOwnRules, ({ body, colleague }) =>
    previewRulesOf({ db, reader, now: now() }, colleague, body.change),
  )
  mount(router, changeOwnRules, async ({ body, colleague }) => ({
    change: await changeRulesOf(db, colleague, body, now()),
  }))
  mount(router, undoOwnChange, async ({ params, colleague }) => {
    await undoChangeOf(db, colleague, params.id, now())
    return {}
  })
  mount(router, readOwnJunk, ({ colleague }) => readJunkOf(db, colleague))
  mount(router, setOwnJunk, async ({ body, colleague }) => ({
    change: await setJunkOf(db, colleague, body, now()),
  }))
}

function settingRoutes(router: Router, { db, now }: Deps): void {
  mount(router, ownSenders, async ({ colleague }) => ({ entries: await ownEntries(db, colleague, now()) }))
  mount(router, changeOwnSenders, async ({ body, colleague }) => ({
    rulingId: await changeOwn(db, colleague, body, now()),
  }))
  mount(router, askWhere, async ({ body, colleague }) => ({
    id: await openEnquiry(
      db,
      { actor: actor({ colleague }), stafferId: null },
      {
        mailboxId: colleague.id,
        how: 'page',
        words: [body.from, body.about, body.when].filter(part => part !== '').join(', '),
        question: { ...body, to: colleague.address },
      },
      now(),
    ),
  }))
  mount(router, ownQuestions, async ({ colleague }) => ({ questions: await questionsOf(db, colleague) }))
  mount(router, readOwnQuestion, async ({ params, colleague }) => {
    await markRead(db, colleague.id, params.id, now())
    return {}
  })
  mount(router, writeOwnQuestion, async ({ params, body, colleague }) => {
    await takeWords(db, { enquiryId: params.id, colleague, words: body.words, how: 'page' }, now())
    return {}
  })
  mount(router, readOwnReply, ({ colleague }) => readReplyOf(db, colleague))
  mount(router, setOwnReply, async ({ colleague, body }) => {
    await setReplyOf(db, colleague, body, now())
    return {}
  })
  mount(router, readOwnAway, ({ colleague }) => readAwayOf(db, colleague))
  mount(router, setOwnAway, async ({ body, colleague }) => {
    await setAwayOf(db, colleague, body, now())
    return {}
  })
  mount(router, readOwnSettings, ({ colleague }) => readSettingsOf(db, colleague, now()))
  mount(router, setOwnSettings, async ({ body, colleague }) => {
    await writeSettingsOf(db, colleague, body, now())
    return { next: (await readSettingsOf(db, colleague, now())).next }
  })
  mount(router, chooseOwnPassword, async ({ body, colleague, req }) => {
    const device = await knownDevice(db, req, colleague.address)
    await choosePassword(db, colleague, { ...body, device }, now())
    return {}
  })
  mount(router, revokeOwn, async ({ colleague }) => {
    await revoke(db, colleague, now())
    return {}
  })
}
