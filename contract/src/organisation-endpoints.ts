import { z } from 'zod'
import { endpoint, everyone } from './endpoint.ts'
import { factorKind, id, keptDays, limits, role } from './shapes.ts'

/** `departments`: those they look after; `null` for all. */
const staffer = z.object({
  id,
  name: z.string(),
  signIn: z.string(),
  role,
  departments: z.array(z.string()).nullable(),
})

/** Who is signed in, the token that every changing request carries (X-CSRF-Token), and what every screen needs of the organisation. `keep`: days each kind of kept mail stays. */
export const session = z.object({
  staffer,
  csrf: z.string(),
  organisation: z.object({ name: z.string(), timeZone: z.string(), limits, keep: keptDays }),
  /** The organisation asks for a second factor, and there is none: until there is, nothing else is to be had. */
  factorFirst: z.boolean(),
})

/** A checked {@link session}. */
export type Session = z.infer<typeof session>

/** `factors`: the password was right, and one of these is asked for next. Takes as long for a name that does not exist as for a wrong password. TOO_MANY_TRIES counts by account and by device, so that whoever guesses locks nobody out. */
export const signIn = endpoint({
  method: 'post',
  path: '/api/session',
  summary: 'Sign in; sets the session cookie, or asks for a second factor',
  roles: 'anyone',
  body: z.object({ signIn: z.string().trim().min(1).max(200), password: z.string().min(1).max(500) }),
  response: z.union([session, z.object({ factors: z.array(factorKind).min(1) })]),
  problems: ['SIGN_IN_FAILED', 'TOO_MANY_TRIES', 'SUSPENDED', 'PASSWORDS_OFF', 'COME_BY_PROVIDER'],
})

/** Answers 401 when nobody is; the web then shows the sign-in. */
export const readSession = endpoint({
  method: 'get',
  path: '/api/session',
  summary: 'Who is signed in',
  roles: everyone,
  scope: 'own',
  response: session,
})

/** Ends the session on the server, not only the cookie. */
export const signOut = endpoint({
  method: 'delete',
  path: '/api/session',
  summary: 'Sign out',
  roles: everyone,
  scope: 'own',
  response: z.object({}),
})

/** False for ever after the first set-up. */
export const setUpNeeded = endpoint({
  method: 'get',
  path: '/api/set-up',
  summary: 'Whether this installation is still empty',
  roles: 'anyone',
  response: z.object({ needed: z.boolean() }),
})

/** An IANA time zone. */
export const timeZone = z.string().refine(
  zone => {
    try {
      return Boolean(new Intl.DateTimeFormat('en', { timeZone: zone }))
    } catch {
      return false
    }
  },
  { error: 'is a time zone such as Europe/Oslo' },
)

/** A line of the first set-up that can't be read, shortened to 100 characters (fact `wrong` of `BAD_SET_UP`). */
export interface SetUpProblem {
  readonly code: 'not-a-domain' | 'not-a-host' | 'not-a-network' | 'no-address' | 'listed-twice'
  readonly line: string
}

/** BAD_SET_UP carries the lines that can't be read as {@link SetUpProblem}s; nothing is made unless all of it can be. */
export const beginSetUp = endpoint({
  method: 'post',
  path: '/api/set-up',
  summary: 'Set up an empty installation: the organisation, its mailboxes and the first steward. Works once.',
  roles: 'anyone',
  body: z.object({
    organisation: z.string().trim().min(1).max(200),
    timeZone,
    /** One a line: domains that are ours. */
    ownDomains: z.string().trim().min(1).max(10_000),
    /** One a line: hosts whose Authentication-Results are believed. May be empty. */
    trustedHosts: z.string().max(10_000).default(''),
    /** One a line: addresses and networks (CIDR) these hosts connect from. */
    gateways: z.string().max(10_000).default(''),
    /** One a line: address, then a comma and the name. */
    mailboxes: z.string().trim().min(1).max(250_000),
    name: z.string().trim().min(1).max(200),
    signIn: z.string().trim().min(1).max(200),
    password: z.string().min(12, { error: 'has at least 12 characters' }).max(500),
  }),
  response: z.object({ mailboxes: z.number().int() }),
  problems: ['BAD_SET_UP', 'ALREADY_SET_UP', 'EASY_PASSWORD'],
})

/** Kinds of attachments that can be harmful. */
export const dangers = z.enum([
  'executable',
  'script',
  'macro',
  'encrypted-archive',
  'unreadable-archive',
  'program-in-archive',
  'bomb',
  'disguised',
])

/** For a load balancer: 503 with DATABASE_AWAY when the database does not answer in time. */
export const health = endpoint({
  method: 'get',
  path: '/api/health',
  summary: 'Whether the server and its database answer',
  roles: 'anyone',
  response: z.object({ ok: z.literal(true) }),
  problems: ['DATABASE_AWAY'],
})

/** Requests about sessions, set-up and settings, by name. */
export const organisationEndpoints = {
  signIn,
  readSession,
  signOut,
  setUpNeeded,
  beginSetUp,
  health,
}
