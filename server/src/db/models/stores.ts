import {
  bigSerial,
  bytes,
  changedAt,
  chars,
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

export const Secrets = model(
  'secrets',
  {
    purpose: 'Passwords for other servers, sealed with a key that is not in the database',
    grows: 'a row a password',
    ends: 'when somebody takes it away',
  },
  {
    /** user@host:port: a password is for one server, and goes to no other. */
    name: primary(text(500)),
    sealed: bytes('varbinary(4000)'),
    changed_at: changedAt(),
  },
)

/** What stands in the way of looking into a mailbox; '' for nothing. */
export type StoreTrouble =
  | ''
  /** No connection, or none that stayed. */
  | 'no-answer'
  /** The certificate is not to be believed. */
  | 'certificate'
  /** It does not let Pendro in. */
  | 'sign-in'
  /** No password is kept for it. */
  | 'no-password'
  /** It has no such mailbox, or Pendro may not act for it. */
  | 'no-mailbox'
  /** It did not do what it was asked. */
  | 'refused'
  /** What it said makes no sense. */
  | 'nonsense'
  /** The mailbox is full (RFC 5530 OVERQUOTA). */
  | 'full'

export const StoreMailboxes = model(
  'store_mailboxes',
  {
    purpose: 'When Pendro last looked into a mailbox at its store, and what stands in the way',
    grows: 'a row a mailbox',
    ends: 'with its mailbox',
  },
  {
    mailbox_id: primary(link('mailboxes')),
    next_at: moment(),
    claimed_until: maybe(moment()),
    looked_at: maybe(moment()),
    /** Between a folder and one within it. */
    separator_char: preset(text(1)),
    /** In front of its folders. */
    prefix: preset(text(100)),
    trouble: preset(text<StoreTrouble>(20)),
    /** What the store said. */
    detail: preset(text(500)),
    trouble_since: maybe(moment()),
  },
)

export const StoreFolders = model(
  'store_folders',
  {
    purpose: 'Folders of mailboxes at their stores, with how much is in them',
    grows: 'some rows a mailbox',
    ends: 'when the store no longer has it',
  },
  {
    id: serial(),
    mailbox_id: link('mailboxes'),
    path: text(500),
    kind: oneOf('inbox', 'junk', 'aside', 'sent', 'trash', 'other'),
    total: integer(),
    unread: integer(),
    /** A folder that was made anew has another (RFC 9051 §2.3.1.1). */
    uid_validity: integer({ size: 'big' }),
    /** Everything below was looked at. */
    uid_next: integer({ size: 'big' }),
    /** The highest mod-sequence of that look, in digits: it has up to 63 bits (RFC 7162 §3.1). '': the store does not tell it. */
    mod_seq: text(20),
    looked_at: moment(),
  },
)

export const StoreCopies = model(
  'store_copies',
  {
    purpose: 'Where copies of deliveries are at their stores',
    grows: 'a row a delivery that arrived, and one each time it is moved',
    ends: 'with the headers of its delivery',
  },
  {
    id: bigSerial(),
    delivery_id: link('deliveries'),
    folder_id: link('store_folders'),
    uid: integer({ size: 'big' }),
    seen: flag(),
    found_at: moment(),
    /** Who put it there: it arrived there, a mail program moved it, Pendro did, or somebody before Pendro looked. */
    put_by: oneOf('arrival', 'colleague', 'pendro', 'unseen'),
    gone_at: maybe(moment()),
  },
)

export const ColleagueMoves = model(
  'colleague_moves',
  {
    purpose: 'What people moved in their mail programs, into the junk folder and out of it',
    grows: 'a row a message that somebody moved so',
    ends: 'with the headers of its delivery',
  },
  {
    delivery_id: primary(link('deliveries')),
    mailbox_id: link('mailboxes'),
    cluster_key: chars(32),
    verdict: oneOf('junk', 'wanted'),
    at: moment(),
    /** What Pendro learned from it, together with others. */
    ruling_id: maybe(link('rulings')),
  },
)

/** The part of a move that is under way. */
export interface BegunPart {
  readonly from: string
  readonly to: string
  /** Numbers in the folder it comes from, with what each message is known by; '' where the store does not tell. */
  readonly part: readonly (readonly [uid: number, name: string])[]
  /** The first number that the other folder would give, … */
  readonly next: number
  /** … as long as it is this one; 0: nobody knew. */
  readonly validity: number
}

export const StoreMoves = model(
  'store_moves',
  {
    purpose: 'Mail that a person has moved at a store, so that it can be taken back',
    grows: 'a row an act',
    ends: 'never',
  },
  {
    id: serial(),
    mailbox_id: link('mailboxes'),
    token: chars(36),
    from_path: text(500),
    to_path: text(500),
    state: oneOf('moving', 'done', 'failed', 'undoing', 'undone'),
    at: moment(),
    /** Numbers in the folder it comes from, still to be moved. */
    waiting: json<readonly number[]>(),
    from_validity: integer({ size: 'big' }),
    /** Numbers where it went to; what the store did not say is missing. */
    moved: json<readonly number[]>(),
    /** `null`: what was begun has been written down. */
    begun: maybe(json<BegunPart>()),
    to_validity: integer({ size: 'big' }),
    done: preset(integer()),
    total: integer(),
    trouble: preset(text<StoreTrouble>(20)),
    detail: preset(text(500)),
    claimed_until: maybe(moment()),
    next_at: moment(),
    /** The ruling that blocked the sender, where the message at hand was moved by it. */
    ruling_id: maybe(link('rulings')),
  },
)

/** The two scripts of a mailbox as texts; `null`: it has none of that name. */
export interface ScriptTexts {
  readonly rules: string | null
  readonly active: string | null
}
/** As Pendro put them, with the colleague’s own script that is run after them. */
export type KeptScripts = ScriptTexts & { readonly own: string }
/** As they were found, with the name of the script that is run; '' for none. */
export type FoundScripts = ScriptTexts & { readonly runs: string }
/** As they are being put: what was run before, and what a person has them replace; `null` where nobody else's is. */
export type PutScripts = KeptScripts & { readonly ran: string; readonly was: FoundScripts | null }

export const StoreScripts = model(
  'store_scripts',
  {
    purpose: 'Mail rules and automatic replies that are kept in mailboxes at their stores',
    grows: 'a row a mailbox',
    ends: 'with its mailbox',
  },
  {
    mailbox_id: primary(link('mailboxes')),
    next_at: moment(),
    claimed_until: maybe(moment()),
    /** Counts who asked for another look: one that is under way has not seen what they changed. */
    asked: preset(integer()),
    /** What the store is kept under: at another one nothing is kept yet. */
    store: preset(text(60)),
    state: preset(oneOf('waiting', 'kept', 'changed', 'not-run', 'out')),
    kept: maybe(json<KeptScripts>()),
    /** What is being put: a process that is killed meanwhile leaves either this or what was before. */
    putting: maybe(json<PutScripts>()),
    /** What is there, where that is something else. */
    found: maybe(json<FoundScripts>()),
    /** What a person’s act has replaced, so that it can be taken back. */
    replaced: maybe(json<{ readonly was: FoundScripts; readonly kept: KeptScripts | null }>()),
    /** The colleague’s own script answers by itself, too. */
    answers_too: preset(flag()),
    kept_at: maybe(moment()),
    looked_at: maybe(moment()),
    trouble: preset(text<StoreTrouble>(20)),
    /** What the store said. */
    detail: preset(text(500)),
  },
)

export const StoreStates = model(
  'store_states',
  {
    purpose: 'Whether each mail store answers, and since when not',
    grows: 'a row a mail store',
    ends: 'never',
  },
  {
    /** '' for the store of the process. */
    name: primary(text(60)),
    checked_at: moment(),
    away_since: maybe(moment()),
    detail: preset(text(500)),
    /** A steward says that it is away. */
    declared_at: maybe(moment()),
    declared_by: preset(text(200)),
  },
)
