import i18next from 'i18next'
import type { z } from 'zod'
import type { Endpoint, ProblemCode } from '@pendro/contract'

/** What the API (or the way to it) said was wrong; `text` is a sentence for the person in front of it. */
export class Problem extends Error {
  readonly code: ProblemCode | 'OFFLINE'
  readonly text: string
  readonly status: number
  readonly facts: Readonly<Record<string, unknown>>

  constructor(
    code: ProblemCode | 'OFFLINE',
    text: string,
    status: number,
    facts: Readonly<Record<string, unknown>> = {},
  ) {
    super(text)
    this.text = text
    this.code = code
    this.status = status
    this.facts = facts
  }
}

const tokens = { staff: '', own: '' }
/** A session's token for writes; kept in memory only. Staffers and colleagues have sessions of their own. */
export function keepToken(token: string, of: keyof typeof tokens = 'staff'): void {
  tokens[of] = token
}
const tokenFor = (path: string) => (path.startsWith('/api/own/') ? tokens.own : tokens.staff)

interface Given<P, Q, B> {
  readonly params?: P
  readonly query?: Q
  readonly body?: B
  readonly signal?: AbortSignal
}

/** Calls one endpoint of the contract. Throws `Problem`. */
export async function call<
  P extends z.ZodType,
  Q extends z.ZodType,
  B extends z.ZodType,
  R extends z.ZodType,
>(
  endpoint: Endpoint<P, Q, B, R>,
  { params, query, body, signal }: Given<z.input<P>, z.input<Q>, z.input<B>> = {},
): Promise<z.output<R>> {
  const path = endpoint.path.replace(/\{(\w+)\}/g, (_, name: string) =>
    encodeURIComponent(String((params as Record<string, unknown>)[name])),
  )
  const response = await reach(path + searchOf(query as Record<string, unknown> | undefined), {
    method: endpoint.method.toUpperCase(),
    signal,
    headers: {
      ...(body === undefined ? {} : { 'Content-Type': endpoint.takes ?? 'application/json' }),
      ...(endpoint.method === 'get' ? {} : { 'X-Pendro-Token': tokenFor(endpoint.path) }),
    },
    body: bodyOf(body),
  })
  const answer: unknown = await response.json().catch(() => null)
  if (response.ok) return answer as z.output<R>
  const { code, text, facts } = (answer ?? {}) as {
    code?: ProblemCode
    text?: string
    facts?: Record<string, unknown>
  }
  throw new Problem(code ?? 'INTERNAL', text ?? i18next.t('failed.unknown'), response.status, facts)
}

function bodyOf(body: unknown): BodyInit | undefined {
  if (body === undefined || body instanceof Blob) return body
  return JSON.stringify(body)
}

async function reach(url: string, init: RequestInit): Promise<Response> {
  try {
    return await fetch(url, init)
  } catch (error) {
    if (error instanceof DOMException && error.name === 'AbortError') throw error
    throw new Problem('OFFLINE', i18next.t('failed.unreachable'), 0)
  }
}

function searchOf(query: Record<string, unknown> | undefined): string {
  const search = new URLSearchParams()
  for (const [name, value] of Object.entries(query ?? {}))
    if (value !== undefined && value !== '') search.set(name, String(value))
  const text = search.toString()
  return text === '' ? '' : `?${text}`
}

export function problemOf(error: unknown): Problem {
  if (error instanceof Problem) return error
  // What a program says of itself helps nobody who reads it here.
  return new Problem('INTERNAL', i18next.t('failed.unknown'), 0)
}
