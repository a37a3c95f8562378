import { spawn } from 'node:child_process'
import { chmodSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir, userInfo } from 'node:os'
import { join } from 'node:path'
import { answers, freePort } from './ports.ts'

/** Debian's Dovecot as an IMAP server on loopback, with Maildirs of its own. */
export interface Dovecot {
  readonly port: number
  /** Puts a message into a folder of an account. */
  readonly put: (user: string, folder: string, raw: string) => void
  /** Changes the password of an account; sessions that are open go on. */
  readonly changePasswordOf: (user: string, password: string) => Promise<void>
  readonly log: () => string
  readonly close: () => Promise<void>
}

let serial = 0

export async function startDovecot(accounts: Readonly<Record<string, string>>): Promise<Dovecot> {
  const folder = mkdtempSync(join(tmpdir(), 'pendro-imap-'))
  chmodSync(folder, 0o755)
  const port = await freePort()
  const users = new Map(Object.entries(accounts))
  const passwords = join(folder, 'users')
  const writeUsers = () =>
    writeFileSync(
      passwords,
      [...users].map(([user, password]) => `${user}:{PLAIN}${password}`).join('\n') + '\n',
    )
  writeUsers()
  mkdirSync(join(folder, 'mail'))
  chmodSync(join(folder, 'mail'), 0o777)
  const log = join(folder, 'log')
  const conf = join(folder, 'dovecot.conf')
  // As root its parts run under the accounts that its package makes; else all of it is of whoever runs the tests.
  const isRoot = process.getuid?.() === 0
  const [internal, login] = isRoot ? ['dovecot', 'dovenull'] : [userInfo().username, userInfo().username]
  writeFileSync(
    conf,
    `
base_dir = ${folder}/run
log_path = ${log}
protocols = imap
listen = 127.0.0.1
ssl = no
disable_plaintext_auth = no
auth_mechanisms = plain
auth_failure_delay = 0 secs
default_internal_user = ${internal}
default_internal_group = ${internal}
default_login_user = ${login}
first_valid_uid = 0
first_valid_gid = 0
mail_uid = ${isRoot ? 'mail' : process.getuid?.()}
mail_gid = ${isRoot ? 'mail' : process.getgid?.()}
mail_location = maildir:${folder}/mail/%u
passdb {
  driver = passwd-file
  args = scheme=PLAIN ${passwords}
}
userdb {
  driver = static
  args = home=${folder}/mail/%u
}
service imap-login {
  chroot =
  inet_listener imap {
    address = 127.0.0.1
    port = ${port}
  }
  inet_listener imaps {
    port = 0
  }
}
service anvil {
  chroot =
}
`,
  )
  const server = spawn('dovecot', ['-F', '-c', conf], { stdio: ['ignore', 'pipe', 'pipe'] })
  let said = ''
  server.stderr.on('data', (part: Buffer) => (said += part.toString()))
  const ended = new Promise<void>(done => server.once('close', () => done()))
  const readLog = () => {
    try {
      return readFileSync(log, 'utf8')
    } catch {
      return ''
    }
  }
  const close = async () => {
    server.kill('SIGTERM')
    await ended
    rmSync(folder, { recursive: true, force: true })
  }
  const until = Date.now() + 20_000
  while (!(await answers(port))) {
    if (Date.now() > until || server.exitCode !== null) {
      const why = `${said}${readLog()}`
      await close()
      throw new Error(`the IMAP server did not start: ${why}`)
    }
    await new Promise(done => setTimeout(done, 100))
  }
  return {
    port,
    put: (user, name, raw) => {
      const box = name === 'INBOX' ? join(folder, 'mail', user) : join(folder, 'mail', user, `.${name}`)
      for (const part of ['cur', 'new', 'tmp']) mkdirSync(join(box, part), { recursive: true })
      // The server reads mail as another account than the tests.
      for (const part of [
        join(folder, 'mail', user),
        box,
        ...['cur', 'new', 'tmp'].map(one => join(box, one)),
      ])
        chmodSync(part, 0o777)
      serial += 1
      writeFileSync(join(box, 'cur', `${1_700_000_000 + serial}.M${serial}.test:2,S`), raw)
    },
    changePasswordOf: async (user, password) => {
      users.set(user, password)
      writeUsers()
      // It looks at the file once a second at most.
      await new Promise(done => setTimeout(done, 1100))
    },
    log: readLog,
    close,
  }
}
