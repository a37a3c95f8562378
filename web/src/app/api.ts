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

/** Asks whoever is signed in to prove again that it is them; whether they did. Put in by the frame around the areas. */
let prove: () => Promise<boolean> = () => Promise.resolve(false)
export function onProveAgain(ask: () => Promise<boolean>): void {
  prove = ask
}

/** Sends it, and once more when it asked for a proof and got one. */
async function proven<A>(send: () => Promise<A>): Promise<A> {
  try {
    return await send()
  } catch (error) {
    if (!(error instanceof Problem) || error.code !== 'PROVE_AGAIN' || !(await prove())) throw error
    return send()
  }
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
  return proven(() => callOnce(endpoint, { params, query, body, signal }))
}

async function callOnce<P extends z.ZodType, Q extends z.ZodType, B extends z.ZodType, R extends z.ZodType>(
  endpoint: Endpoint<P, Q, B, R>,
  { params, query, body, signal }: Given<z.input<P>, z.input<Q>, z.input<B>>,
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
  if (!response.ok) throw await problemIn(response)
  return (await response.json().catch(() => null)) as z.output<R>
}

/** Saves a file of the API under its own name. Throws `Problem`, where a plain link would show the person a page of code. */
export async function download(address: string): Promise<void> {
  const response = await proven(async () => {
    const answer = await reach(address, { method: 'GET' })
    if (!answer.ok) throw await problemIn(answer)
    return answer
  })
  const name = /filename="([^"]+)"/.exec(response.headers.get('Content-Disposition') ?? '')?.[1]
  const url = URL.createObjectURL(await response.blob())
  const link = document.createElement('a')
  link.href = url
  link.download = name ?? ''
  link.click()
  // The browser has begun to save it by then.
  setTimeout(() => URL.revokeObjectURL(url), 10_000)
}

async function problemIn(response: Response): Promise<Problem> {
  const answer: unknown = await response.json().catch(() => null)
  const { code, text, facts } = (answer ?? {}) as {
    code?: ProblemCode
    text?: string
    facts?: Record<string, unknown>
  }
  return new Problem(code ?? 'INTERNAL', text ?? i18next.t('failed.unknown'), response.status, facts)
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
