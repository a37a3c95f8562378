import type { Request, Response, Router } from 'express'
import type { z } from 'zod'
import type { Endpoint } from '@pendro/contract'
import { AppError } from './errors.ts'
import type { SignedInColleague } from './own/access.ts'
import type { SignedIn } from './sign-in/sessions.ts'

export interface Call<P, Q, B> {
  readonly params: P
  readonly query: Q
  readonly body: B
  /** Who is signed in; for endpoints open to anyone there may be nobody, and `who` throws. */
  readonly who: SignedIn
  /** The colleague on whose own pages we are; throws when nobody is signed in there. */
  readonly colleague: SignedInColleague
  readonly req: Request
  readonly res: Response
}

const expressPath = (path: string) => path.replace(/\{(\w+)\}/g, ':$1')

/** Mounts one endpoint of the contract: rights, then form, then the work, then the answer. */
export function mount<P extends z.ZodType, Q extends z.ZodType, B extends z.ZodType, R extends z.ZodType>(
  router: Router,
  endpoint: Endpoint<P, Q, B, R>,
  handle: (call: Call<z.output<P>, z.output<Q>, z.output<B>>) => Promise<z.input<R>>,
): void {
  router[endpoint.method](expressPath(endpoint.path), async (req, res) => {
    res.json(await handle(callOf(endpoint, req, res)))
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
    await handle(callOf(endpoint, req, res))
  })
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

export function whoIs(res: Response): SignedIn {
  const who = res.locals.signedIn as SignedIn | undefined
  if (!who) throw new AppError('SIGN_IN_FIRST')
  return who
}

export function colleagueIs(res: Response): SignedInColleague {
  const colleague = res.locals.colleague as SignedInColleague | undefined
  if (!colleague) throw new AppError('SIGN_IN_FIRST')
  return colleague
}

function checkRights(
  { roles, method }: Pick<Endpoint<z.ZodType, z.ZodType, z.ZodType, z.ZodType>, 'roles' | 'method'>,
  req: Request,
  res: Response,
): void {
  if (roles === 'anyone') return
  if (roles === 'colleague') {
    const { csrf } = colleagueIs(res)
    if (method !== 'get' && req.get('X-Pendro-Token') !== csrf) throw new AppError('CSRF')
    return
  }
  const who = whoIs(res)
  // Asked before the token: an observer should hear what is really in the way.
  if (!roles.includes(who.staffer.role))
    throw who.staffer.role === 'observer'
      ? new AppError('OBSERVER')
      : new AppError('NEEDS_STEWARD', { context: 'setting' })
  if (method !== 'get' && req.get('X-Pendro-Token') !== who.csrf) throw new AppError('CSRF')
}

function read<S extends z.ZodType>(schema: S, value: unknown, where: string): z.output<S> {
  const parsed = schema.safeParse(value)
  if (parsed.success) return parsed.data
  const wrong = parsed.error.issues.map(issue => `${issue.path.join('.') || where}: ${issue.message}`)
  throw new AppError('BAD_REQUEST', { context: 'fields', where, what: wrong.join('; '), wrong })
}
