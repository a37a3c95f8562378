import {
  bytes,
  chars,
  counter,
  flag,
  integer,
  json,
  link,
  maybe,
  model,
  moment,
  oneOf,
  preset,
  primary,
  serial,
  text,
} from './columns.ts'

/** What a step at the identity provider is for; `began`: by what somebody came in whose second factor is asked for now. */
export interface StepFacts {
  readonly as?: 'staffer' | 'colleague' | 'invited' | 'connect' | 'prove'
  readonly from?: string
  readonly invitation?: number
  readonly began?: 'identity'
}

export const Staffers = model(
  'staffers',
  { purpose: 'Who works with Pendro, their role and password', grows: 'a row a staffer', ends: 'never' },
  {
    id: serial(),
    name: text(200),
    sign_in: text(200),
    role: oneOf('helpdesk', 'steward', 'observer'),
    /** `null`: all there are. */
    departments: maybe(json<readonly string[]>()),
    password: text(300),
    suspended_at: maybe(moment()),
    seen_at: maybe(moment()),
    /** Acts by a key, and signs in nowhere. */
    is_program: preset(flag()),
    /** Given on the machine: until then the password counts though passwords are off. */
    password_until: maybe(moment()),
  },
)

export const StafferIdentities = model(
  'staffer_identities',
  {
    purpose: 'Who a staffer is at the identity provider, by the hash of issuer and subject',
    grows: 'a row a staffer',
    ends: 'when connected no more',
  },
  {
    staffer_id: primary(link('staffers')),
    issuer: text(300),
    subject_hash: chars(64),
    /** Role and departments come from groups there, at each sign-in. */
    by_groups: flag(),
    made_at: moment(),
    used_at: maybe(moment()),
  },
)

export const StafferInvitations = model(
  'staffer_invitations',
  {
    purpose: 'Who is invited to work with Pendro, by the hash of the link’s secret',
    grows: 'a row an invitation',
    ends: 'never',
  },
  {
    id: serial(),
    secret_hash: chars(64),
    name: text(200),
    sign_in: text(200),
    role: oneOf('helpdesk', 'steward', 'observer'),
    departments: maybe(json<readonly string[]>()),
    by_name: text(200),
    at: moment(),
    expires_at: moment(),
    /** Taken up or taken back. */
    over_at: maybe(moment()),
  },
)

export const ApiKeys = model(
  'api_keys',
  { purpose: 'Keys of programs, by the hash of their secret', grows: 'a row a key', ends: 'never' },
  {
    id: serial(),
    staffer_id: link('staffers'),
    key_hash: chars(64),
    made_by: text(200),
    made_at: moment(),
    ends_at: moment(),
    used_at: maybe(moment()),
    ended_at: maybe(moment()),
  },
)

export const Sessions = model(
  'sessions',
  {
    purpose: 'Staffers who are signed in, by the hash of their token',
    grows: 'a row a sign-in',
    ends: 'when it runs out or is signed out',
  },
  {
    id: primary(chars(64)),
    staffer_id: link('staffers'),
    csrf: chars(43),
    expires_at: moment(),
    used_at: preset(moment()),
    /** By which it can be ended without its token being told. */
    number: counter(),
    opened_at: preset(moment()),
    /** What the browser calls itself. */
    agent: preset(text(300)),
    /** When its staffer last proved by more than the session that it is them. */
    proven_at: maybe(moment()),
    /** The identity provider asked for a second factor. */
    factor_elsewhere: preset(flag()),
  },
)

export const StafferFactors = model(
  'staffer_factors',
  {
    purpose: 'Second factors of staffers: secrets of one-time codes, public keys of passkeys',
    grows: 'a row a factor',
    ends: 'when given up or taken away',
  },
  {
    id: serial(),
    staffer_id: link('staffers'),
    kind: oneOf('code', 'passkey'),
    name: text(100),
    made_at: moment(),
    used_at: maybe(moment()),
    /** In base32, of codes alone. */
    secret: maybe(text(64)),
    /** The newest time step whose code was taken: none is taken twice (RFC 6238 §5.2). */
    step: maybe(integer({ size: 'big' })),
    credential_id: maybe(text(1400)),
    credential_hash: maybe(chars(64)),
    public_key: maybe(bytes('varbinary(2000)')),
    sign_count: maybe(integer()),
    transports: maybe(json<readonly string[]>()),
  },
)

export const RecoveryCodes = model(
  'recovery_codes',
  {
    purpose: 'What lets a staffer in who has lost a second factor, by its hash',
    grows: 'ten rows a staffer',
    ends: 'when used or made anew',
  },
  {
    id: serial(),
    staffer_id: link('staffers'),
    code_hash: chars(64),
  },
)

export const SignInSteps = model(
  'sign_in_steps',
  {
    purpose: 'What a sign-in, a new factor or a proof waits for, by the hash of its cookie or session',
    grows: 'a row a step',
    ends: 'when used, or after five minutes',
  },
  {
    id: primary(chars(64)),
    /** Whose password was right. */
    staffer_id: maybe(integer()),
    challenge: maybe(text(100)),
    secret: maybe(text(64)),
    /** What it is for, where that is more than a sign-in. */
    facts: maybe(json<StepFacts>()),
    expires_at: moment(),
  },
)

export const SignInTries = model(
  'sign_in_tries',
  {
    purpose: 'Wrong passwords of staffers, by account and device',
    grows: 'a row a try',
    ends: 'after a quarter of an hour',
  },
  {
    bucket: primary(chars(64)),
    n: integer(),
    since: moment(),
    kind: preset(oneOf('code', 'factor', 'proof', 'staff')),
    /** Whose it is; '' where there is no such account: what was typed there may be a password. */
    account: preset(text(320)),
    /** From devices on which nobody signed in to it before. */
    is_strange: preset(flag()),
  },
)

export const ColleagueAccess = model(
  'colleague_access',
  {
    purpose: 'Password, one-time code and link generation of a colleague',
    grows: 'a row a colleague who used it',
    ends: 'with its mailbox',
  },
  {
    mailbox_id: primary(link('mailboxes')),
    password: maybe(text(300)),
    links_epoch: preset(integer()),
    welcomed_at: maybe(moment()),
    code: maybe(text(300)),
    code_until: maybe(moment()),
  },
)

export const ColleagueSessions = model(
  'colleague_sessions',
  {
    purpose: 'Devices on which a colleague is signed in',
    grows: 'a row a device',
    ends: 'when it runs out or is signed out',
  },
  {
    id: primary(chars(64)),
    mailbox_id: link('mailboxes'),
    csrf: chars(43),
    expires_at: moment(),
    code_at: maybe(moment()),
  },
)
