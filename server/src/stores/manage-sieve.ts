import { connect as connectPlain, type Socket } from 'node:net'
import { connect as connectTls } from 'node:tls'
import type { MailStoreShape, ServerAt, StoreIdentity } from '@pendro/contract'
import { tlsOptions } from '../outbox/host.ts'
import type { Secrets } from '../outbox/secrets.ts'
import { StoreError, storeErrorOf } from './imap.ts'
import { forgetToken, tokenOf } from './tokens.ts'

/** A mail store that takes Sieve scripts. */
export type TakesSieve = MailStoreShape & { readonly sieve: NonNullable<MailStoreShape['sieve']> }

/** Whether a store takes Sieve scripts. */
export const hasSieve = (store: MailStoreShape | null): store is TakesSieve =>
  store !== null && store.sieve !== null

/** A script as the server lists it (RFC 5804 §2.7). */
export interface Script {
  readonly name: string
  readonly isActive: boolean
}

/** A session of ManageSieve (RFC 5804) for one mailbox. Each throws {@link StoreError}; what a server says of a script is its message. */
export interface ManageSieve {
  /** Extensions of Sieve the server has (RFC 5804 §1.7). */
  readonly extensions: ReadonlySet<string>
  readonly list: () => Promise<readonly Script[]>
  /** `null`: there is none of this name. */
  readonly read: (name: string) => Promise<string | null>
  readonly check: (script: string) => Promise<void>
  readonly put: (name: string, script: string) => Promise<void>
  /** '' for no script at all. */
  readonly activate: (name: string) => Promise<void>
  readonly remove: (name: string) => Promise<void>
  readonly end: () => Promise<void>
}

/** A word, a text, or a response code without its brackets. */
type Token = { readonly kind: 'atom' | 'text' | 'code'; readonly value: string }

/** All that a command is answered with: lines of data, then how it ended. */
interface Answer {
  readonly status: 'OK' | 'NO' | 'BYE'
  readonly code: string
  readonly said: string
  readonly lines: readonly (readonly Token[])[]
}

/** Bytes of one answer: scripts are small (RFC 5804 has no limit of its own). */
const mostBytes = 2_000_000
/** Milliseconds until a command has to be answered. */
const patience = 20_000

/** Opens a session for a mailbox: nothing is said before TLS where that is wanted. @throws {StoreError} */
export async function openSieve(store: TakesSieve, address: string, secrets: Secrets): Promise<ManageSieve> {
  const { sieve } = store
  const line = new Conversation(await dial(sieve, secrets))
  try {
    let hello = await line.answer()
    if (sieve.tls === 'starttls') {
      await line.command('STARTTLS')
      line.secure(await tlsOptions(sieve, secrets))
      hello = await line.answer()
    }
    const capabilities = new Map(
      hello.lines.map(([name, value]) => [name?.value.toUpperCase() ?? '', value?.value ?? '']),
    )
    await signIn(line, store, address, secrets, capabilities.get('SASL') ?? '')
    return sessionOf(line, new Set((capabilities.get('SIEVE') ?? '').split(' ').filter(Boolean)))
  } catch (error) {
    line.close()
    const failure = storeErrorOf(error)
    if (failure.trouble === 'sign-in') forgetToken(store.identity)
    throw failure
  }
}

/** Runs work in a session, and ends it whatever comes. @throws {StoreError} */
export async function withSieve<T>(
  open: Promise<ManageSieve>,
  work: (session: ManageSieve) => Promise<T>,
): Promise<T> {
  const session = await open
  try {
    return await work(session)
  } finally {
    await session.end()
  }
}

async function dial({ host, port, tls, certificate }: ServerAt, secrets: Secrets): Promise<Socket> {
  const socket =
    tls === 'implicit'
      ? connectTls({ host, port, ...(await tlsOptions({ host, certificate }, secrets)) })
      : connectPlain({ host, port })
  await new Promise<void>((resolve, reject) => {
    socket.setTimeout(patience, () => socket.destroy(new Error('no answer')))
    socket.once(tls === 'implicit' ? 'secureConnect' : 'connect', resolve)
    socket.once('error', error => reject(storeErrorOf(error)))
  })
  return socket
}

/** One account may act for all others (RFC 4616), or a token says whom it is for (RFC 7628). */
async function signIn(
  line: Conversation,
  { identity, sieve, imap }: TakesSieve,
  address: string,
  secrets: Secrets,
  mechanisms: string,
): Promise<void> {
  const initial =
    identity.kind === 'token'
      ? ['OAUTHBEARER', `n,a=${address},\u0001auth=Bearer ${await tokenOf(identity, secrets)}\u0001\u0001`]
      : ['PLAIN', `${address}\0${identity.user}\0${await passwordFor(identity, sieve, imap, secrets)}`]
  const [mechanism = '', response = ''] = initial
  if (!mechanisms.toUpperCase().split(' ').includes(mechanism))
    throw new StoreError('sign-in', `${mechanism} is not offered: ${mechanisms}`)
  const { status, said } = await line.ask(
    `AUTHENTICATE "${mechanism}" "${Buffer.from(response).toString('base64')}"`,
  )
  if (status !== 'OK') throw new StoreError('sign-in', said)
}

/** Its own password, or that of the same account at the same host for IMAP. */
async function passwordFor(
  { user }: StoreIdentity,
  sieve: ServerAt,
  imap: ServerAt | null,
  secrets: Secrets,
): Promise<string> {
  const own = await secrets.passwordOf({ ...sieve, user })
  const shared = own === null && imap?.host === sieve.host ? await secrets.passwordOf({ ...imap, user }) : own
  if (shared === null) throw new StoreError('no-password')
  return shared
}

function sessionOf(line: Conversation, extensions: ReadonlySet<string>): ManageSieve {
  const script = (text: string) => `{${Buffer.byteLength(text)}+}\r\n${text}`
  return {
    extensions,
    list: async () =>
      (await line.command('LISTSCRIPTS')).lines.flatMap(([name, active]) =>
        name === undefined ? [] : [{ name: name.value, isActive: active?.value.toUpperCase() === 'ACTIVE' }],
      ),
    read: async name => {
      const { status, code, said, lines } = await line.ask(`GETSCRIPT ${quoted(name)}`)
      if (status === 'OK') return lines[0]?.[0]?.value ?? ''
      if (status === 'NO' && (code === '' || code.startsWith('NONEXISTENT'))) return null
      throw new StoreError('refused', said)
    },
    check: async text => void (await line.command(`CHECKSCRIPT ${script(text)}`)),
    put: async (name, text) => void (await line.command(`PUTSCRIPT ${quoted(name)} ${script(text)}`)),
    activate: async name => void (await line.command(`SETACTIVE ${quoted(name)}`)),
    remove: async name => void (await line.command(`DELETESCRIPT ${quoted(name)}`)),
    end: async () => {
      await line.ask('LOGOUT').catch(() => {})
      line.close()
    },
  }
}

/** A quoted string, or a literal for what can't stand in one (RFC 5804 §4). */
const quoted = (text: string): string =>
  text.length <= 1024 && /^[^\0\r\n"\\]*$/.test(text)
    ? `"${text}"`
    : `{${Buffer.byteLength(text)}+}\r\n${text}`

/** Commands and answers over one socket. One command at a time. */
class Conversation {
  private bytes = Buffer.alloc(0)
  private failed: Error | null = null
  private wake: () => void = () => {}
  private socket: Socket

  constructor(socket: Socket) {
    this.socket = socket
    this.listen()
  }

  private listen(): void {
    this.socket.setTimeout(patience, () => this.fail(new Error('no answer')))
    this.socket.on('data', (part: Buffer) => {
      this.bytes = Buffer.concat([this.bytes, part])
      if (this.bytes.length > mostBytes) this.fail(new StoreError('nonsense', 'the answer is too long'))
      this.wake()
    })
    this.socket.on('error', error => this.fail(error))
    this.socket.on('close', () => this.fail(new Error('the connection was closed')))
  }

  private fail(error: Error): void {
    this.failed ??= error
    this.socket.destroy()
    this.wake()
  }

  /** Nothing that came before TLS counts after it: somebody may have put it there. */
  secure(options: object): void {
    this.socket.removeAllListeners()
    this.bytes = Buffer.alloc(0)
    this.socket = connectTls({ socket: this.socket, ...options })
    this.listen()
  }

  close(): void {
    this.socket.destroy()
  }

  /** @throws {StoreError} for anything but OK. */
  async command(text: string): Promise<Answer> {
    const answer = await this.ask(text)
    if (answer.status === 'OK') return answer
    throw new StoreError(/^QUOTA/.test(answer.code) ? 'full' : 'refused', answer.said)
  }

  async ask(text: string): Promise<Answer> {
    if (this.failed) throw storeErrorOf(this.failed)
    this.socket.write(`${text}\r\n`)
    return this.answer()
  }

  async answer(): Promise<Answer> {
    const lines: (readonly Token[])[] = []
    for (;;) {
      const tokens = await this.line()
      const [first, second, third] = tokens
      const status = first?.kind === 'atom' ? first.value.toUpperCase() : ''
      if (status === 'OK' || status === 'NO' || status === 'BYE') {
        const hasCode = second?.kind === 'code'
        return {
          status,
          code: hasCode ? second.value.toUpperCase() : '',
          said: (hasCode ? third : second)?.value ?? '',
          lines,
        }
      }
      lines.push(tokens)
    }
  }

  private async line(): Promise<readonly Token[]> {
    for (;;) {
      const read = readLine(this.bytes)
      if (read !== null) {
        this.bytes = this.bytes.subarray(read.length)
        return read.tokens
      }
      if (this.failed) throw storeErrorOf(this.failed)
      await new Promise<void>(resolve => (this.wake = resolve))
    }
  }
}

/** The first whole line with its literals; `null` while more has to come. @throws {StoreError} for what is none (RFC 5804 §4). */
export function readLine(
  bytes: Buffer,
): { readonly tokens: readonly Token[]; readonly length: number } | null {
  const tokens: Token[] = []
  let at = 0
  for (;;) {
    while (bytes[at] === space) at += 1
    if (bytes[at] === carriageReturn) return at + 1 < bytes.length ? { tokens, length: at + 2 } : null
    const read = readToken(bytes, at)
    if (read === null) return null
    tokens.push(read.token)
    at = read.end
  }
}

const [space, carriageReturn, opening, closing] = [0x20, 0x0d, 0x28, 0x29]
/** Bytes of a word, a quoted text, or the length of a literal at most. */
const longestWord = 4096

interface Read {
  readonly token: Token
  readonly end: number
}

function readToken(bytes: Buffer, at: number): Read | null {
  if (at >= bytes.length) return null
  if (bytes[at] === opening) return readCode(bytes, at + 1)
  const rest = bytes.subarray(at, at + longestWord).toString('latin1')
  if (rest.startsWith('{')) return readLiteral(bytes, at, rest)
  const isText = rest.startsWith('"')
  const found = isText ? /^"((?:[^"\\\r\n]|\\["\\])*)"/.exec(rest) : /^[^\s"{()]+(?=[ \r")])/.exec(rest)
  if (found === null) {
    if (/[\r\n]/.test(rest) || rest.length >= longestWord) throw new StoreError('nonsense', rest.slice(0, 80))
    return null
  }
  const end = at + found[0].length
  if (!isText) return { token: { kind: 'atom', value: found[0] }, end }
  const raw = bytes.subarray(at + 1, end - 1).toString('utf8')
  return { token: { kind: 'text', value: raw.replace(/\\(["\\])/g, '$1') }, end }
}

function readLiteral(bytes: Buffer, at: number, rest: string): Read | null {
  const literal = /^\{(\d{1,9})\+?\}\r\n/.exec(rest)
  if (literal === null) {
    if (!/^\{\d{0,9}\+?\}?\r?$/.test(rest)) throw new StoreError('nonsense', 'a literal has no length')
    return null
  }
  const length = Number(literal[1])
  if (length > mostBytes) throw new StoreError('nonsense', 'a literal is too long')
  const from = at + literal[0].length
  if (bytes.length < from + length) return null
  return { token: { kind: 'text', value: bytes.toString('utf8', from, from + length) }, end: from + length }
}

/** A response code in its brackets (§1.3), which may have texts and literals in it. */
function readCode(bytes: Buffer, from: number): Read | null {
  const parts: string[] = []
  let at = from
  for (;;) {
    while (bytes[at] === space) at += 1
    if (at >= bytes.length) return null
    if (bytes[at] === closing) return { token: { kind: 'code', value: parts.join(' ') }, end: at + 1 }
    if (bytes[at] === opening || bytes[at] === carriageReturn)
      throw new StoreError('nonsense', 'a code has no end')
    const read = readToken(bytes, at)
    if (read === null) return null
    parts.push(read.token.value)
    at = read.end
  }
}
