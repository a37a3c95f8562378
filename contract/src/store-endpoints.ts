import { z } from 'zod'
import { endpoint, everyone } from './endpoint.ts'
import { mailStore, storeAccount } from './settings-endpoints.ts'
import { id, idInPath, moment } from './shapes.ts'

/** What stands in the way of looking into a mailbox; '' for nothing. */
export const storeTrouble = z.enum([
  '',
  'no-answer',
  'certificate',
  'sign-in',
  'no-password',
  'no-mailbox',
  'refused',
  'nonsense',
  'full',
])
/** One of {@link storeTrouble}. */
export type StoreTroubleName = z.infer<typeof storeTrouble>

const trouble = {
  trouble: storeTrouble,
  /** What the store said; '' for nothing. */
  detail: z.string(),
}

/** What a folder is for: as the store marks it (RFC 6154) or the organisation has named it. */
export const folderKind = z.enum(['inbox', 'junk', 'aside', 'sent', 'trash', 'other'])
/** One of {@link folderKind}. */
export type FolderKindName = z.infer<typeof folderKind>

/** A move of mail from one folder to another, and how far it has come. */
const storeMove = z.object({
  id,
  from: z.string(),
  to: z.string(),
  state: z.enum(['moving', 'done', 'failed', 'undoing', 'undone']),
  done: z.number().int(),
  total: z.number().int(),
  at: moment,
  ...trouble,
})
/** A move of mail from one folder to another, and how far it has come. */
export type StoreMoveShape = z.infer<typeof storeMove>

const mailboxInStore = z.object({
  /** The store’s name; '' where it has none. */
  store: z.string(),
  /** `false`: the store of this mailbox can’t be looked into. */
  open: z.boolean(),
  lookedAt: moment.nullable(),
  since: moment.nullable(),
  ...trouble,
  folders: z.array(
    z.object({
      path: z.string(),
      kind: folderKind,
      total: z.number().int(),
      unread: z.number().int(),
      /** Deliveries of Pendro among them, as far as they are known. */
      ours: z.number().int(),
    }),
  ),
  /** The last few, newest first. */
  moves: z.array(storeMove),
})
/** A mailbox as its store has it. */
export type MailboxInStore = z.infer<typeof mailboxInStore>

/** As of the last look; `fresh` has Pendro look first where that was more than some seconds ago. */
export const readMailboxInStore = endpoint({
  method: 'get',
  path: '/api/mailboxes/{id}/store',
  summary: 'Folders of a mailbox at its mail store, with how much is in them and what is unread',
  roles: everyone,
  scope: { 'params.id': 'mailbox' },
  params: z.object({ id: idInPath }),
  query: z.object({ fresh: z.enum(['yes', 'no']).default('no') }),
  response: mailboxInStore,
  problems: ['MAILBOX_NOT_FOUND'],
})

/** What is in the folder now is meant, or of it the copies of some deliveries. The work goes on by itself; its mailbox says how far it is. */
export const moveMail = endpoint({
  method: 'post',
  path: '/api/mailboxes/{id}/moves',
  summary: 'Move mail to another folder of a mailbox at its mail store',
  roles: ['helpdesk', 'steward'],
  scope: { 'params.id': 'mailbox', 'body.deliveries': 'delivery' },
  params: z.object({ id: idInPath }),
  body: z.object({
    from: z.string().min(1).max(500),
    to: z.string().min(1).max(500).default('INBOX'),
    /** Left out: all of the folder. */
    deliveries: z.array(id).min(1).max(1000).optional(),
    reason: z.string().trim().max(1000).default(''),
    token: z.uuid(),
  }),
  response: z.object({ move: id }),
  problems: [
    'MAILBOX_NOT_FOUND',
    'STORE_NOT_OPEN',
    'STORE_TROUBLE',
    'NOTHING_TO_MOVE',
    'TOO_MANY_TO_MOVE',
    'NOTHING_TO_DO',
  ],
})

/** What somebody has moved on meanwhile stays where it is. */
export const undoStoreMove = endpoint({
  method: 'post',
  path: '/api/store-moves/{id}/undo',
  summary: 'Move mail back to the folder it came from',
  roles: ['helpdesk', 'steward'],
  scope: { 'params.id': 'store-move' },
  params: z.object({ id: idInPath }),
  response: z.object({}),
  problems: ['CHANGE_NOT_FOUND', 'ALREADY_UNDONE'],
})

const storeState = z.object({
  name: z.string(),
  domains: z.array(z.string()),
  houses: mailStore.shape.houses,
  imap: z.boolean(),
  sieve: z.boolean(),
  mailboxes: z.number().int(),
  /** Of the mailboxes, how many were looked into within the last two minutes. */
  fresh: z.number().int(),
  /** The look that is longest ago; `null` for never. */
  oldest: moment.nullable(),
  troubles: z.array(
    z.object({
      trouble: storeTrouble,
      mailboxes: z.number().int(),
      detail: z.string(),
      since: moment.nullable(),
    }),
  ),
  /** Mailboxes whose rules are kept there, and the first of those where they are changed, not run or can’t be put. */
  scripts: z.object({
    kept: z.number().int(),
    differ: z.number().int(),
    first: z.array(z.object({ mailboxId: id, name: z.string() })),
  }),
})
/** A mail store, and how looking into it goes. */
export type StoreStateShape = z.infer<typeof storeState>

/** Of stores that are set; one without IMAP is only handed mail. */
export const readStores = endpoint({
  method: 'get',
  path: '/api/stores',
  summary: 'Mail stores: how many mailboxes each has, when they were looked into, and what stands in the way',
  roles: everyone,
  scope: 'own',
  response: z.object({
    stores: z.array(storeState),
    /** There is a key to seal passwords with. */
    canKeep: z.boolean(),
    /** Accounts that a password is kept for, as user@host:port; the passwords themselves are never told. */
    kept: z.array(z.object({ account: z.string(), since: moment })),
  }),
})

/** What was tried at a store. */
export const storeSteps = ['hand-over', 'imap', 'move', 'junk', 'aside', 'sieve'] as const

/** Nothing is sent and nothing is changed: each server is spoken to as far as signing in. */
export const checkStore = endpoint({
  method: 'post',
  path: '/api/stores/check',
  summary: 'Try a mail store as it would be set: what works there, and what does not',
  roles: ['steward'],
  scope: 'whole',
  body: z.object({
    store: mailStore,
    /** A mailbox that is there. */
    mailbox: id,
  }),
  response: z.object({
    steps: z.array(
      z.object({
        step: z.enum(storeSteps),
        works: z.boolean(),
        /** host:port, or the folder’s name. */
        at: z.string(),
        ...trouble,
      }),
    ),
  }),
  problems: ['MAILBOX_NOT_FOUND'],
})

/** A password is sealed, and never told again. It goes to that one server, and nowhere else. */
export const keepSecret = endpoint({
  method: 'post',
  path: '/api/stores/secrets',
  summary: 'Set the password of an account at another server, or remove it',
  roles: ['steward'],
  scope: 'whole',
  fresh: true,
  body: z.object({
    account: storeAccount,
    /** '' removes it. */
    password: z.string().max(1000),
  }),
  response: z.object({}),
  problems: ['NO_SECRETS_KEY'],
})

/** Requests about mail stores, by name. */
export const storeEndpoints = {
  readMailboxInStore,
  moveMail,
  undoStoreMove,
  readStores,
  checkStore,
  keepSecret,
}
