import type { Request } from 'express'
import { rateLimit, type RateLimitRequestHandler } from 'express-rate-limit'
import { AppError } from '../errors.ts'

export function readCookie(req: Request, name: string): string | null {
  const found = (req.headers.cookie ?? '').split(/;\s*/).find(part => part.startsWith(`${name}=`))
  return found?.slice(name.length + 1) ?? null
}

/** Failed tries of one device in a minute. A limit of each account stands beside it. */
export const throttle = (limit: number): RateLimitRequestHandler =>
  rateLimit({
    windowMs: 60_000,
    limit,
    skip: req => req.method !== 'POST',
    skipSuccessfulRequests: true,
    standardHeaders: 'draft-7',
    legacyHeaders: false,
    handler: () => {
      throw new AppError('TOO_MANY_TRIES')
    },
  })
