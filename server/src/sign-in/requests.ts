import type { Request } from 'express'

export function readCookie(req: Request, name: string): string | null {
  const found = (req.headers.cookie ?? '').split(/;\s*/).find(part => part.startsWith(`${name}=`))
  return found?.slice(name.length + 1) ?? null
}
