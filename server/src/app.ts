import { calibrationRoutes } from './calibration/routes.ts'
import { existsSync } from 'node:fs'
import { join } from 'node:path'
import express, { Router, type ErrorRequestHandler, type Express, type RequestHandler } from 'express'
import helmet from 'helmet'
import { pinoHttp } from 'pino-http'
import { apiDescription, health } from '@pendro/contract'
import { endpoints } from '@pendro/contract/all-endpoints'
import { openApiDocument } from '@pendro/contract/openapi'
import { isBusy, select, type Database } from './db/database.ts'
import { doorRoutes, type DoorView } from './doors/routes.ts'
import { digestRoutes } from './digests/routes.ts'
import { AppError, isDatabaseAway } from './errors.ts'
import { firstSetUpRoutes } from './first-set-up/routes.ts'
import { mount, mountFile } from './http.ts'
import { historyRoutes, type HistoryView } from './history/routes.ts'
import { identityRoutes } from './identity/routes.ts'
import type { LiveStream } from './live/stream.ts'
import type { Log } from './log.ts'
import type { Reader } from './reading/reader.ts'
import { inStoreRoutes } from './mail-rules/in-store-routes.ts'
import { mailRuleRoutes } from './mail-rules/routes.ts'
import { mailboxRoutes } from './mailboxes/routes.ts'
import { directoryRoutes } from './mailboxes/directory-routes.ts'
import { settingRoutes } from './mailboxes/setting-routes.ts'
import { whereaboutsRoutes } from './whereabouts/routes.ts'
import { ownRoutes, recogniseColleague } from './own/routes.ts'
import { recordRoutes } from './record/routes.ts'
import { reportRoutes } from './reports/routes.ts'
import { reviewRoutes } from './review/routes.ts'
import { questionRoutes } from './questions/routes.ts'
import { senderRoutes } from './senders/routes.ts'
import type { Settings } from './settings.ts'
import { shellRoutes } from './shell/routes.ts'
import { storeRoutes, type StoreView } from './stores/routes.ts'
import { stepRoutes } from './steps/routes.ts'
import { standbyRoutes } from './standby/routes.ts'
import { upkeepRoutes } from './upkeep/routes.ts'
import { recogniseSession, signInRoutes } from './sign-in/routes.ts'
import { stafferRoutes } from './staffers/routes.ts'

export interface Deps {
  readonly db: Database
  readonly log: Log
  readonly now: () => Date
  readonly settings: Pick<
    Settings,
    | 'PENDRO_WEB_DIR'
    | 'PENDRO_SECURE_COOKIES'
    | 'PENDRO_TRUST_PROXY'
    | 'PENDRO_PICTURES'
    | 'PENDRO_UNSUBSCRIBE'
    | 'PENDRO_PUBLIC_URL'
    | 'PENDRO_DIRECTORY_PASSWORD'
    | 'PENDRO_DIRECTORY_CA'
    | 'PENDRO_PROVIDER_SECRET'
  >
  /** Something was queued; those who work it off need not wait for their next look. */
  readonly queued: () => void
  readonly live: LiveStream | null
  /** Left out where nothing works in the background. */
  readonly history?: HistoryView
  /** Left out where there are no doors. */
  readonly doorView?: DoorView
  /** Left out where no mail store can be looked into. */
  readonly storeView?: StoreView
  /** How long an answer of the API took, in milliseconds; for work that stands back for people. */
  readonly answered?: (milliseconds: number) => void
  /** Reads messages, in worker threads with a deadline; in this thread where none is given. */
  readonly reader?: Reader
}

export const version = '0.1.0'

/** Builds the application; `main.ts` listens. */
export function createApp(deps: Deps): Express {
  const { log, settings } = deps
  const app = express()
  app.disable('x-powered-by')
  // Answers are fresh by nature; hashing each for a comparison nobody makes would cost more than it saves.
  app.disable('etag')
  // Only a proxy that somebody named may say whom it speaks for: limits of tries count by it.
  if (settings.PENDRO_TRUST_PROXY) app.set('trust proxy', settings.PENDRO_TRUST_PROXY)
  app.use(securityHeaders(settings))
  app.use(
    pinoHttp({
      logger: log.sink,
      autoLogging: { ignore: req => !req.url?.startsWith('/api/') },
      customLogLevel: (_req, res) => (res.statusCode >= 500 ? 'error' : 'debug'),
    }),
  )

  app.use(apiOf(deps))
  serveWeb(app, settings.PENDRO_WEB_DIR)
  app.use(answerError(log))
  return app
}

const securityHeaders = (settings: Pick<Settings, 'PENDRO_SECURE_COOKIES'>) =>
  helmet({
    contentSecurityPolicy: {
      useDefaults: false,
      directives: {
        'default-src': ["'none'"],
        'script-src': ["'self'"],
        // Radix and the virtual list place things by style attributes.
        'style-src': ["'self'", "'unsafe-inline'"],
        'font-src': ["'self'"],
        'img-src': ["'self'", 'data:'],
        'connect-src': ["'self'"],
        'frame-src': ["'self'", 'blob:'],
        'base-uri': ["'none'"],
        'form-action': ["'self'"],
        'frame-ancestors': ["'none'"],
      },
    },
    // Chromium warns on every page when the header comes after the origin was first seen without it.
    originAgentCluster: false,
    // Plain HTTP on loopback is how it is tried out; where cookies are for TLS alone, so is the site.
    strictTransportSecurity: settings.PENDRO_SECURE_COOKIES === 'yes' ? { maxAge: 31_536_000 } : false,
  })

function apiOf(deps: Deps): Router {
  const { db, live } = deps
  const api = Router()
  api.use('/api', (req, res, next) => {
    const began = performance.now()
    // The live stream is open all day and no answer to anybody.
    if (req.path !== '/live') res.once('finish', () => deps.answered?.(performance.now() - began))
    // Mail of colleagues must not stay in a cache of the browser or on the way.
    res.set('Cache-Control', 'no-store')
    next()
  })
  // Who asks is known before a byte of a body is read: a stranger gets no room for more than a sign-in.
  api.use('/api', recogniseSession(deps))
  api.use('/api/own', recogniseColleague(deps))
  api.use('/api', readBody())
  mount(api, health, async () => {
    await select(db, 'SELECT 1 AS one')
    return { ok: true as const }
  })
  mountFile(api, apiDescription, async ({ res }) => {
    res.json(openApiDocument(version))
  })
  firstSetUpRoutes(api, deps)
  signInRoutes(api, deps)
  stafferRoutes(api, deps)
  identityRoutes(api, deps)
  reviewRoutes(api, deps)
  reportRoutes(api, deps)
  settingRoutes(api, deps)
  doorRoutes(api, deps)
  historyRoutes(api, deps)
  stepRoutes(api, deps)
  storeRoutes(api, deps)
  senderRoutes(api, deps)
  upkeepRoutes(api, deps)
  questionRoutes(api, deps)
  mailboxRoutes(api, deps)
  directoryRoutes(api, deps)
  calibrationRoutes(api, deps)
  mailRuleRoutes(api, deps)
  inStoreRoutes(api, deps)
  shellRoutes(api, deps)
  digestRoutes(api, deps)
  whereaboutsRoutes(api, deps)
  recordRoutes(api, deps)
  ownRoutes(api, deps)
  standbyRoutes(api, deps)
  live?.routes(api)
  api.all('/api/{*rest}', () => {
    throw new AppError('NOT_FOUND')
  })
  return api
}

function serveWeb(app: Express, web: string): void {
  if (web !== '' && existsSync(web)) {
    app.use('/assets', express.static(join(web, 'assets'), { immutable: true, maxAge: '1y' }))
    app.use(express.static(web, { index: false, maxAge: '1h' }))
    app.get(
      '/{*rest}',
      (_req, res) => void res.set('Cache-Control', 'no-cache').sendFile(join(web, 'index.html')),
    )
  }
}

/** Only a message that is handed in and a list that is brought in are large, and they are bytes. */
const bytePaths: ReadonlySet<string> = new Set(
  Object.values(endpoints).flatMap(endpoint => (endpoint.takes === undefined ? [] : [endpoint.path])),
)

/** Reads a body only as far as its sender may fill the memory with one. */
function readBody(): RequestHandler {
  const upTo = (limit: string) => express.json({ limit })
  const [stranger, usual, setUp] = [upTo('20kb'), upTo('300kb'), upTo('400kb')]
  const large = express.raw({ limit: '10mb', type: () => true })
  return (req, res, next) => {
    const { signedIn, colleague } = res.locals
    if (req.path === '/set-up') return setUp(req, res, next)
    if (!signedIn && !colleague) return stranger(req, res, next)
    const takesBytes = (signedIn || colleague) && req.method === 'POST' && bytePaths.has(`/api${req.path}`)
    return (takesBytes ? large : usual)(req, res, next)
  }
}

/** Errors of the catalogue are told as they are; everything else is logged and told as our fault. */
function answerError(log: Log): ErrorRequestHandler {
  return (error: unknown, req, res, next) => {
    if (res.headersSent) return next(error)
    const told = toAppError(error)
    if (told.code === 'INTERNAL') log.requestFailed(req.method, req.path, error)
    if (told.code === 'DATABASE_AWAY') log.databaseAway(`${req.method} ${req.path}`, error)
    if (told.status === 503) res.set('Retry-After', '2')
    res.status(told.status).json({ code: told.code, text: told.text, facts: told.facts })
  }
}

function toAppError(error: unknown): AppError {
  if (error instanceof AppError) return error
  if (isDatabaseAway(error)) return new AppError('DATABASE_AWAY')
  if (isBusy(error)) return new AppError('BUSY')
  const status = (error as { status?: number }).status
  if (status === 413) return new AppError('TOO_LARGE')
  if (status !== undefined && status >= 400 && status < 500)
    return new AppError('BAD_REQUEST', { wrong: [(error as Error).message] })
  return new AppError('INTERNAL')
}
