import { z } from 'zod'

/** What a staffer may do: rule and answer, all of that and change what is everybody's, or only look. */
export type Role = 'helpdesk' | 'steward' | 'observer'
/** Who may call a request: staffers of some roles, a signed-in colleague, or anybody at all. */
export type Roles = readonly Role[] | 'colleague' | 'anyone'

/**
 * What a number in a request stands for. Of 'entry' everybody's may be read, of 'own-entry' only one mailbox's changed. 'department' is a
 * name: one that is left out means the whole organisation.
 */
export type Subject =
  | 'delivery'
  | 'mailbox'
  | 'enquiry'
  | 'digest'
  | 'digest-reply'
  | 'ruling'
  | 'mailbox-change'
  | 'store-move'
  | 'mail-rule'
  | 'entry'
  | 'own-entry'
  | 'department'

/**
 * How a request keeps to the departments a staffer looks after. 'whole': it is for those alone who look after all of them. 'own': it
 * is about the staffer or about no mail at all. Else the numbers in it by where they stand ('params.id', 'body.deliveries'): each has to be
 * within their departments, and what it answers with is, too.
 */
export type Scoping = 'whole' | 'own' | Readonly<Record<string, Subject>>

/** What an organisation may keep to itself on colleagues' own pages. */
export const ownParts = ['digests', 'senders', 'away', 'rules'] as const
/** One of {@link ownParts}. */
export type OwnPart = (typeof ownParts)[number]

/**
 * One request of the API. The server mounts it, the web calls it, and OpenAPI is made from it: there is
 * no second description. `path` has its parameters as `{name}`.
 */
export interface Endpoint<
  P extends z.ZodType,
  Q extends z.ZodType,
  B extends z.ZodType,
  R extends z.ZodType,
> {
  readonly method: 'get' | 'post' | 'delete'
  readonly path: string
  readonly summary: string
  /** Who may call it: staffers of these roles, a colleague about their own mail; 'anyone' needs no session. */
  readonly roles: Roles
  /** For staffers of some departments. A request that says nothing of it is not for them. */
  readonly scope: Scoping
  /** Whoever has a second factor proves anew that it is them, if the last proof is older than ten minutes (PROVE_AGAIN). */
  readonly fresh: boolean
  /** Of colleagues: refused (NOT_ON_OWN_PAGE) where the organisation keeps this to itself; 'partly': the work itself asks. */
  readonly own: OwnPart | 'partly' | 'always'
  readonly params: P
  readonly query: Q
  readonly body: B
  readonly response: R
  /** Media type of the body where it is bytes and not JSON (`bytes`). */
  readonly takes?: string
  /** Media types of an answer that is a page, a file or a stream and not JSON. */
  readonly gives?: readonly string[]
  /** Codes of `problems` that this request can answer with, beside the ones every request can. */
  readonly problems: readonly string[]
}

const nothing = z.object({})
type Nothing = typeof nothing

/** Declares a request; parts that are left out are empty objects. */
export function endpoint<
  R extends z.ZodType,
  P extends z.ZodType = Nothing,
  Q extends z.ZodType = Nothing,
  B extends z.ZodType = Nothing,
>(given: {
  method: 'get' | 'post' | 'delete'
  path: string
  summary: string
  roles: Roles
  scope?: Scoping
  fresh?: boolean
  own?: OwnPart | 'partly'
  response: R
  params?: P
  query?: Q
  body?: B
  takes?: string
  problems?: readonly string[]
}): Endpoint<P, Q, B, R> {
  const {
    params = nothing,
    query = nothing,
    body = nothing,
    problems = [],
    scope = 'whole',
    fresh = false,
    own = 'always',
    ...rest
  } = given
  return { ...rest, scope, fresh, own, problems, params: params as P, query: query as Q, body: body as B }
}

/** Declares a request that is answered by a page, a file or a stream. */
export function fileEndpoint<P extends z.ZodType = Nothing, Q extends z.ZodType = Nothing>(given: {
  path: string
  summary: string
  roles: Roles
  scope?: Scoping
  fresh?: boolean
  gives: readonly string[]
  params?: P
  query?: Q
  problems?: readonly string[]
}): Endpoint<P, Q, Nothing, z.ZodVoid> {
  const { gives, ...rest } = given
  return { ...endpoint({ ...rest, method: 'get', response: z.void() }), gives }
}

/** A body that is bytes: a file as the browser has it, and what arrives of it. */
export const bytes = z
  .custom<Blob | Uint8Array>(value => value instanceof Uint8Array)
  .transform(value => value as Uint8Array)

/** Every signed-in staffer. */
export const everyone: readonly Role[] = ['helpdesk', 'steward', 'observer']
/** Staffers who may change something. */
export const writers: readonly Role[] = ['helpdesk', 'steward']
