import { spawn } from 'node:child_process'
import { chmodSync, existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { connect, createServer, type AddressInfo } from 'node:net'
import { tmpdir, userInfo } from 'node:os'
import { join } from 'node:path'

/** Debian's Dovecot as a mail store on loopback: LMTP, IMAP and ManageSieve, with Maildirs of its own. */
export interface RealStore {
  readonly ports: StorePorts
  /** Of {@link ports}. */
  readonly port: number
  /** Puts a message into a folder of an account, as somebody's mail program would. */
  readonly put: (user: string, folder: string, raw: string) => void
  /** Changes the password of an account; sessions that are open go on. */
  readonly changePasswordOf: (user: string, password: string) => Promise<void>
  readonly log: () => string
  /** Ends it at once, as a machine that fails does; what is on disk stays. */
  readonly kill: () => Promise<void>
  /** Starts it again after {@link RealStore.kill}, with the same ports and mail. */
  readonly start: () => Promise<void>
  readonly close: () => Promise<void>
}

/** Where it listens. */
export interface StorePorts {
  readonly imap: number
  readonly lmtp: number
  readonly sieve: number
}

/** How the store is set up. */
export interface RealStoreOptions {
  /** Passwords of accounts. */
  readonly accounts: Readonly<Record<string, string>>
  /** Whoever may speak for every account (SASL PLAIN with an authorisation identity, RFC 4616), with their password. */
  readonly master?: { readonly user: string; readonly password: string }
  /** Where a bearer token is looked up (RFC 7662); its answer names the account as `username`. */
  readonly introspection?: string
  /** Certificate and key as PEM files; without them nothing speaks TLS. */
  readonly tls?: { readonly certificate: string; readonly key: string }
  /** A Sieve script that is run before everybody's own. */
  readonly before?: string
  /** Ports to listen at; any free ones where left out. */
  readonly ports?: Partial<StorePorts>
  /** Where mail and settings are kept; a folder of its own that goes with the store where left out. */
  readonly folder?: string
  /** More lines of its configuration. */
  readonly more?: string
}

/** Lines that `put` names its files by. */
let serial = 0

/** Starts the store, and waits until it greets. @throws {Error} with what it says when it does not start. */
export async function startRealStore(options: RealStoreOptions): Promise<RealStore> {
  const isOwn = options.folder === undefined
  const folder = options.folder ?? mkdtempSync(join(tmpdir(), 'pendro-store-'))
  const mail = join(folder, 'mail')
  // What is no mail stands apart: a script’s link would be taken for a folder.
  const homes = join(folder, 'home')
  for (const one of [mail, homes]) mkdirSync(one, { recursive: true })
  // The server reads and writes mail as another account than whoever starts it.
  chmodSync(folder, 0o755)
  chmodSync(mail, 0o777)
  chmodSync(homes, 0o777)
  const { imap, lmtp, sieve } = options.ports ?? {}
  const ports: StorePorts = {
    imap: imap ?? (await freePort()),
    lmtp: lmtp ?? (await freePort()),
    sieve: sieve ?? (await freePort()),
  }
  const users = new Map(Object.entries(options.accounts))
  const writeUsers = () =>
    writeFileSync(
      join(folder, 'users'),
      [...users].map(([user, password]) => `${user}:{PLAIN}${password}`).join('\n') + '\n',
    )
  writeUsers()
  writeFileSync(join(folder, 'dovecot.conf'), configuration(folder, ports, options))
  const log = () => readIfThere(join(folder, 'log'))
  let running = await launch(folder, ports, log)
  return {
    ports,
    port: ports.imap,
    put: (user, name, raw) => put(join(mail, user), name, raw),
    changePasswordOf: async (user, password) => {
      users.set(user, password)
      writeUsers()
      // It looks at the file once a second at most.
      await pause(1100)
    },
    log,
    kill: () => running.end('SIGKILL'),
    start: async () => {
      running = await launch(folder, ports, log)
    },
    close: async () => {
      await running.end('SIGTERM')
      if (isOwn) rmSync(folder, { recursive: true, force: true })
    },
  }
}

interface Launched {
  readonly end: (signal: 'SIGKILL' | 'SIGTERM') => Promise<void>
}

async function launch(folder: string, ports: StorePorts, log: () => string): Promise<Launched> {
  // In a group of its own: its parts end with it even where it has no time to tell them.
  const server = spawn('dovecot', ['-F', '-c', join(folder, 'dovecot.conf')], {
    stdio: ['ignore', 'ignore', 'pipe'],
    detached: true,
  })
  let said = ''
  server.stderr.on('data', (part: Buffer) => (said += part.toString()))
  const ended = new Promise<void>(done => server.once('exit', () => done()))
  const end = async (signal: 'SIGKILL' | 'SIGTERM') => {
    if (server.pid !== undefined && server.exitCode === null && server.signalCode === null)
      process.kill(signal === 'SIGKILL' ? -server.pid : server.pid, signal)
    await ended
    // Its parts end a moment later, and hold its sockets until then.
    for (let i = 0; i < 150 && isAlive(server.pid); i += 1) await pause(20)
    rmSync(join(folder, 'run', 'master.pid'), { force: true })
  }
  const until = Date.now() + 20_000
  for (const port of Object.values(ports) as number[])
    while (!(await greets(port))) {
      if (Date.now() > until || server.exitCode !== null) {
        const why = `${said}${log()}`
        await end('SIGKILL')
        throw new Error(`the mail store did not start: ${why}`)
      }
      await pause(50)
    }
  return { end }
}

/** Whether anything is left of a group of processes. */
function isAlive(group: number | undefined): boolean {
  try {
    return group !== undefined && process.kill(-group, 0)
  } catch {
    return false
  }
}

function put(account: string, name: string, raw: string): void {
  const box = name === 'INBOX' ? account : join(account, `.${name}`)
  for (const one of [account, box, ...['cur', 'new', 'tmp'].map(part => join(box, part))]) {
    if (existsSync(one)) continue
    mkdirSync(one, { recursive: true })
    chmodSync(one, 0o777)
  }
  serial += 1
  writeFileSync(join(box, 'cur', `${1_700_000_000 + serial}.M${serial}.test:2,S`), raw)
}

function configuration(folder: string, ports: StorePorts, options: RealStoreOptions): string {
  // As root its parts run under the accounts that its package makes; else all of it is of whoever starts it.
  const isRoot = process.getuid?.() === 0
  const [internal, login] = isRoot ? ['dovecot', 'dovenull'] : [userInfo().username, userInfo().username]
  const { master, introspection, tls, before, more = '' } = options
  if (master) writeFileSync(join(folder, 'masters'), `${master.user}:{PLAIN}${master.password}\n`)
  if (introspection !== undefined)
    writeFileSync(
      join(folder, 'oauth2.conf'),
      `introspection_url = ${introspection}
introspection_mode = post
username_attribute = username
active_attribute = active
active_value = true
`,
    )
  if (before !== undefined) {
    mkdirSync(join(folder, 'sieve'), { recursive: true })
    chmodSync(join(folder, 'sieve'), 0o777)
    writeFileSync(join(folder, 'sieve', 'before.sieve'), before)
  }
  return `
base_dir = ${folder}/run
log_path = ${folder}/log
protocols = imap lmtp sieve
listen = 127.0.0.1
ssl = ${tls ? 'yes' : 'no'}
${tls ? `ssl_cert = <${tls.certificate}\nssl_key = <${tls.key}` : ''}
disable_plaintext_auth = no
auth_mechanisms = plain${introspection === undefined ? '' : ' oauthbearer'}
auth_failure_delay = 0 secs
auth_username_chars =
auth_verbose = yes
default_internal_user = ${internal}
default_internal_group = ${internal}
default_login_user = ${login}
default_client_limit = 4000
default_process_limit = 400
first_valid_uid = 0
first_valid_gid = 0
mail_uid = ${isRoot ? 'mail' : process.getuid?.()}
mail_gid = ${isRoot ? 'mail' : process.getgid?.()}
mail_location = maildir:${folder}/mail/%u
mail_max_userip_connections = 100
lda_mailbox_autocreate = yes
postmaster_address = postmaster@store.test
hostname = store.test
${master ? `passdb {\n  driver = passwd-file\n  master = yes\n  args = scheme=PLAIN ${folder}/masters\n}` : ''}
passdb {
  driver = passwd-file
  mechanisms = plain
  args = scheme=PLAIN ${folder}/users
}
${introspection === undefined ? '' : `passdb {\n  driver = oauth2\n  mechanisms = oauthbearer\n  args = ${folder}/oauth2.conf\n}`}
userdb {
  driver = static
  args = home=${folder}/home/%u allow_all_users=yes
}
namespace inbox {
  inbox = yes
  mailbox Junk {
    special_use = \\Junk
    auto = subscribe
  }
  mailbox Sent {
    special_use = \\Sent
    auto = subscribe
  }
  mailbox Trash {
    special_use = \\Trash
    auto = subscribe
  }
}
protocol lmtp {
  mail_plugins = $mail_plugins sieve
}
plugin {
  sieve = file:~/sieve;active=~/.dovecot.sieve
  ${before === undefined ? '' : `sieve_before = ${folder}/sieve/before.sieve`}
}
# As its handbook has it for many mailboxes: a process for each session would cost more than what is asked in it.
service imap-login {
  chroot =
  service_count = 0
  inet_listener imap {
    address = 127.0.0.1
    port = ${ports.imap}
  }
  inet_listener imaps {
    port = 0
  }
}
service imap {
  service_count = 250
}
service lmtp {
  inet_listener lmtp {
    address = 127.0.0.1
    port = ${ports.lmtp}
  }
}
service managesieve-login {
  chroot =
  inet_listener sieve {
    address = 127.0.0.1
    port = ${ports.sieve}
  }
}
service anvil {
  chroot =
}
${more}
`
}

/** A port of loopback that nobody listens at just now. */
async function freePort(): Promise<number> {
  const server = createServer().listen(0, '127.0.0.1')
  await new Promise(done => server.once('listening', done))
  const { port } = server.address() as AddressInfo
  await new Promise(done => server.close(done))
  return port
}

/** Whether somebody greets at a port. */
function greets(port: number): Promise<boolean> {
  return new Promise(done => {
    const socket = connect(port, '127.0.0.1')
    const is = (yes: boolean) => {
      socket.destroy()
      done(yes)
    }
    socket.once('data', () => is(true))
    socket.once('error', () => is(false))
    setTimeout(() => is(false), 2000).unref()
  })
}

const pause = (milliseconds: number) => new Promise(done => setTimeout(done, milliseconds))

function readIfThere(file: string): string {
  try {
    return readFileSync(file, 'utf8')
  } catch {
    return ''
  }
}
