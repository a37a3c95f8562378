import {
  chars,
  integer,
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

export const Staffers = model(
  'staffers',
  { purpose: 'Who works with Pendro, their role and password', grows: 'a row a staffer', ends: 'never' },
  {
    id: serial(),
    name: text(200),
    sign_in: text(200),
    role: oneOf('helpdesk', 'steward', 'observer'),
    password: text(300),
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
