import { z } from 'zod'
import { endpoint, everyone } from './endpoint.ts'
import { departments, id, idInPath, moment, role } from './shapes.ts'

const name = z.string().trim().min(1).max(200)
const signIn = z.string().trim().min(1).max(200)
const newPassword = z.string().min(12, { error: 'has at least 12 characters' }).max(500)

/** Somebody who works with Pendro. `lastSeen`: when they last did something; `sessions`: where they are signed in now. */
export const stafferRow = z.object({
  id,
  name: z.string(),
  signIn: z.string(),
  role,
  departments,
  suspendedAt: moment.nullable(),
  lastSeen: moment.nullable(),
  sessions: z.number().int(),
  /** Second factors. */
  factors: z.number().int(),
  /** Comes by the identity provider; 'groups': role and departments come from there, too. */
  identity: z.enum(['none', 'own', 'groups']),
})
/** A checked {@link stafferRow}. */
export type StafferRow = z.infer<typeof stafferRow>

/** An invitation that nobody has taken up yet; its link is told once. */
export const invitationRow = z.object({
  id,
  name: z.string(),
  signIn: z.string(),
  role,
  departments,
  by: z.string(),
  at: moment,
  expiresAt: moment,
})
/** A checked {@link invitationRow}. */
export type InvitationRow = z.infer<typeof invitationRow>

/** Those who are suspended too; invitations that stand, newest first. */
export const listStaffers = endpoint({
  method: 'get',
  path: '/api/staffers',
  summary: 'Who works with Pendro, and who is invited',
  roles: ['steward'],
  response: z.object({
    staffers: z.array(stafferRow),
    invitations: z.array(invitationRow),
    /** Those there are; one that a staffer looks after and that is not among them has no mailbox. */
    departments: z.array(z.string()),
  }),
})

/** `secret` is the end of the link, told once; only its hash is kept. SIGN_IN_TAKEN: somebody has that name, or is invited by it. */
export const inviteStaffer = endpoint({
  method: 'post',
  path: '/api/staffers/invitations',
  summary: 'Invite somebody: a link with which they choose their password, for three days',
  roles: ['steward'],
  body: z.object({
    name,
    signIn,
    role,
    departments: departments.default(null),
    /** The mailbox that gets the link as a message; '': it is handed over. */
    mailTo: z.string().trim().toLowerCase().max(320).default(''),
  }),
  /** `secret`: `null` where it goes as a message, which makes its own. */
  response: z.object({ invitation: invitationRow, secret: z.string().nullable() }),
  problems: ['SIGN_IN_TAKEN', 'DEPARTMENT_NOT_FOUND', 'MAILBOX_NOT_FOUND', 'NEEDS_PUBLIC_URL'],
})

/** The link ends. */
export const withdrawInvitation = endpoint({
  method: 'post',
  path: '/api/staffers/invitations/{id}/withdraw',
  summary: 'Take an invitation back',
  roles: ['steward'],
  params: z.object({ id: idInPath }),
  body: z.object({}),
  response: z.object({}),
  problems: ['INVITATION_OVER'],
})

/** `was` is what the screen shows. LAST_STEWARD: somebody has to be left who can do this. Suspending ends their sessions. */
export const changeStaffer = endpoint({
  method: 'post',
  path: '/api/staffers/{id}/changes',
  summary: 'Change the role, the name or the departments of a staffer, suspend them or let them in again',
  roles: ['steward'],
  params: z.object({ id: idInPath }),
  body: z.object({
    change: z.discriminatedUnion('what', [
      z.object({ what: z.literal('role'), was: role, to: role }),
      z.object({ what: z.literal('name'), was: z.string(), to: name }),
      z.object({ what: z.literal('departments'), was: departments, to: departments }),
      z.object({ what: z.literal('suspended'), was: z.boolean(), to: z.boolean() }),
    ]),
    reason: z.string().trim().max(1000).default(''),
  }),
  response: stafferRow,
  problems: [
    'STAFFER_NOT_FOUND',
    'LAST_STEWARD',
    'MAILBOX_CHANGED',
    'DEPARTMENT_NOT_FOUND',
    'ROLE_BY_GROUPS',
  ],
})
/** What {@link changeStaffer} takes. */
export type StafferChange = z.infer<typeof changeStaffer.body>['change']

/** An account that has to wait after too many tries. `strange`: from devices that it does not know. */
export const throttle = z.object({
  kind: z.enum(['code', 'factor', 'proof', 'staff']),
  account: z.string(),
  strange: z.boolean(),
  until: moment,
})
/** A checked {@link throttle}. */
export type Throttle = z.infer<typeof throttle>

/** Only accounts there are: what was typed beside them may be a password. */
export const listThrottles = endpoint({
  method: 'get',
  path: '/api/staffers/throttles',
  summary: 'Who has to wait after too many tries to sign in',
  roles: ['steward'],
  response: z.object({ throttles: z.array(throttle) }),
})

/** In the record. */
export const clearThrottle = endpoint({
  method: 'post',
  path: '/api/staffers/throttles/clear',
  summary: 'Let an account be tried again at once',
  roles: ['steward'],
  body: throttle.pick({ kind: true, account: true }),
  response: z.object({ cleared: z.number().int() }),
  problems: ['THROTTLE_OVER'],
})

/** Every session but the one that asks, where it is one's own. */
export const endSessions = endpoint({
  method: 'post',
  path: '/api/staffers/{id}/sign-out',
  summary: 'Sign a staffer out everywhere',
  roles: ['steward'],
  params: z.object({ id: idInPath }),
  body: z.object({}),
  response: z.object({ ended: z.number().int() }),
  problems: ['STAFFER_NOT_FOUND'],
})

/** All other sessions end. */
export const changePassword = endpoint({
  method: 'post',
  path: '/api/session/password',
  summary: 'Choose another password of one’s own',
  roles: everyone,
  scope: 'own',
  body: z.object({ old: z.string().min(1).max(500), password: newPassword }),
  response: z.object({}),
  problems: ['OLD_PASSWORD_WRONG', 'EASY_PASSWORD', 'TOO_MANY_TRIES', 'PASSWORDS_OFF'],
})

const secret = z.string().min(20).max(100)

/** For whoever has the link. */
export const readInvitation = endpoint({
  method: 'post',
  path: '/api/invitation',
  summary: 'Whom a link invites',
  roles: 'anyone',
  body: z.object({ secret }),
  response: z.object({ name: z.string(), signIn: z.string(), organisation: z.string(), expiresAt: moment }),
  problems: ['INVITATION_OVER', 'TOO_MANY_TRIES'],
})

/** Works once. */
export const acceptInvitation = endpoint({
  method: 'post',
  path: '/api/invitation/accept',
  summary: 'Take an invitation up with a password of one’s own',
  roles: 'anyone',
  body: z.object({ secret, password: newPassword }),
  response: z.object({ signIn: z.string() }),
  problems: ['INVITATION_OVER', 'SIGN_IN_TAKEN', 'EASY_PASSWORD', 'TOO_MANY_TRIES', 'PASSWORDS_OFF'],
})

/** Requests about staffers, by name. */
export const stafferEndpoints = {
  listStaffers,
  inviteStaffer,
  withdrawInvitation,
  changeStaffer,
  listThrottles,
  clearThrottle,
  endSessions,
  changePassword,
  readInvitation,
  acceptInvitation,
}
