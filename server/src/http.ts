import type { Request, Response, Router } from 'express'
import type { z } from 'zod'
import type { Endpoint } from '@pendro/contract'
import { AppError } from './errors.ts'
import type { SignedInColleague } from './own/access.ts'
import type { InScope } from './sign-in/scope.ts'
import { needsWhole, type OpenSession } from './sign-in/sessions.ts'

export interface Call<P, Q, B> {
  readonly params: P
  readonly query: Q
  readonly body: B
  /** Who is signed in; for endpoints open to anyone there may be nobody, and `who` throws. */
  readonly who: OpenSession
  /** The colleague on whose own pages we are; throws when nobody is signed in there. */
  readonly colleague: SignedInColleague
  readonly req: Request
  readonly res: Response
}

type AnyEndpoint = Endpoint<z.ZodType, z.ZodType, z.ZodType, z.ZodType>

const expressPath = (path: string) => path.replace(/\{(\w+)\}/g, ':$1')

/** Mounts one endpoint of the contract: rights, then form, then the work, then the answer. */
export function mount<P extends z.ZodType, Q extends z.ZodType, B extends z.ZodType, R extends z.ZodType>(
  router: Router,
  endpoint: Endpoint<P, Q, B, R>,
  handle: (call: Call<z.output<P>, z.output<Q>, z.output<B>>) => Promise<z.input<R>>,
): void {
  router[endpoint.method](expressPath(endpoint.path), async (req, res) => {
    const call = callOf(endpoint, req, res)
    await keepToScope(endpoint, call, res)
    res.json(await handle(call))
  })
}

/** Rights are asked before anything is read. */
function callOf<P extends z.ZodType, Q extends z.ZodType, B extends z.ZodType>(
  endpoint: Endpoint<P, Q, B, z.ZodType>,
  req: Request,
  res: Response,
): Call<z.output<P>, z.output<Q>, z.output<B>> {
  checkRights(endpoint, req, res)
  return {
    params: read(endpoint.params, req.params, 'address'),
    query: read(endpoint.query, req.query, 'query'),
    body: read(endpoint.body, req.body ?? {}, 'body'),
    get who() {
      return whoIs(res)
    },
    get colleague() {
      return colleagueIs(res)
    },
    req,
    res,
  }
}

/** Mounts an endpoint that answers by a page, a file or a stream; `handle` sends it. */
export function mountFile<P extends z.ZodType, Q extends z.ZodType, B extends z.ZodType>(
  router: Router,
  endpoint: Endpoint<P, Q, B, z.ZodVoid>,
  handle: (call: Call<z.output<P>, z.output<Q>, z.output<B>>) => Promise<void>,
): void {
  router[endpoint.method](expressPath(endpoint.path), async (req, res) => {
    const call = callOf(endpoint, req, res)
    await keepToScope(endpoint, call, res)
    await handle(call)
  })
}

/** Whatever a request does: what it names has to be within the departments of the staffer who asks. */
async function keepToScope(
  endpoint: AnyEndpoint,
  { params, query, body }: Pick<Call<unknown, unknown, unknown>, 'params' | 'query' | 'body'>,
  res: Response,
): Promise<void> {
  if (endpoint.roles === 'anyone' || endpoint.roles === 'colleague') return
  const { inScope } = res.locals as { inScope?: InScope }
  if (!inScope) throw new Error('nobody said what is within whose scope')
  await inScope(endpoint, { params, query, body })
}

/** A message as a file to be saved; a browser that shows it all the same runs nothing of it. */
export function sendMessage(res: Response, name: string, raw: Buffer): void {
  res.set({
    'Content-Type': 'message/rfc822',
    'Content-Disposition': `attachment; filename="${name}"`,
    'Content-Security-Policy': 'sandbox',
  })
  res.send(raw)
}

export function whoIs(res: Response): OpenSession {
  const who = res.locals.signedIn as OpenSession | undefined
  if (!who) throw new AppError('SIGN_IN_FIRST')
  return who
}

export function colleagueIs(res: Response): SignedInColleague {
  const colleague = res.locals.colleague as SignedInColleague | undefined
  if (!colleague) throw new AppError('SIGN_IN_FIRST')
  return colleague
}

/** Sessions, staffers and keys: what would let a program outlive its key. */
const isForPeople = (path: string) => /^\/api\/(session|staffers|keys)(\/|$)/.test(path)

function checkRights(
  { path, roles, method, scope, fresh, own }: AnyEndpoint,
  req: Request,
  res: Response,
): void {
  if (roles === 'anyone') return
  if (roles === 'colleague') {
    const { csrf, may } = colleagueIs(res)
    if (method !== 'get' && req.get('X-Pendro-Token') !== csrf) throw new AppError('CSRF')
    if (own !== 'always' && own !== 'partly' && !may[own]) throw new AppError('NOT_ON_OWN_PAGE')
    return
  }
  const who = whoIs(res)
  // Asked before the token: an observer should hear what is really in the way.
  if (!roles.includes(who.staffer.role))
    throw who.staffer.role === 'observer'
      ? new AppError('OBSERVER')
      : new AppError('NEEDS_STEWARD', { context: 'setting' })
  if (who.factorFirst && scope !== 'own') throw new AppError('FACTOR_FIRST')
  if (scope === 'whole') needsWhole(who)
  if (who.isProgram && isForPeople(path)) throw new AppError('FOR_PEOPLE')
  // No browser sends a key by itself: who has it may use it.
  if (method !== 'get' && !who.isProgram && req.get('X-Pendro-Token') !== who.csrf) throw new AppError('CSRF')
  if (fresh && who.isStale) throw new AppError('PROVE_AGAIN')
}

function read<S extends z.ZodType>(schema: S, value: unknown, where: string): z.output<S> {
  const parsed = schema.safeParse(value)
  if (parsed.success) return parsed.data
  const wrong = parsed.error.issues.map(issue => `${issue.path.join('.') || where}: ${issue.message}`)
  throw new AppError('BAD_REQUEST', { context: 'fields', where, what: wrong.join('; '), wrong })
}
