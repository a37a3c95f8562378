import { spawn } from 'node:child_process'
import { chmodSync, chownSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { answers, freePort } from './ports.ts'

/** A mail server that others wrote: Debian's, unpacked and not installed, on loopback, with a configuration and queue of its own. */
export interface Postfix {
  readonly port: number
  readonly log: () => string
  readonly close: () => Promise<void>
}

interface PostfixOptions {
  /** Where `postfix` was unpacked. */
  readonly programs: string
  readonly name: string
  /** Everything goes on to this port of loopback. */
  readonly relayTo: number
  /** Lines of main.cf. */
  readonly more?: readonly string[]
}

/** Its processes have to be of two accounts that are no person's; these every Debian has. */
const owner = { name: 'daemon', group: 'games' }

const services = [
  'pickup unix n - n 60 1 pickup',
  'cleanup unix n - n - 0 cleanup',
  'qmgr unix n - n 300 1 qmgr',
  'tlsmgr unix - - n 1000? 1 tlsmgr',
  'rewrite unix - - n - - trivial-rewrite',
  ...['bounce', 'defer', 'trace'].map(name => `${name} unix - - n - 0 bounce`),
  'verify unix - - n - 1 verify',
  'flush unix n - n 1000? 0 flush',
  'proxymap unix - - n - - proxymap',
  'smtp unix - - n - - smtp',
  'relay unix - - n - - smtp',
  'showq unix n - n - - showq',
  'error unix - - n - - error',
  'retry unix - - n - - error',
  'discard unix - - n - - discard',
  'anvil unix - - n - 1 anvil',
  'scache unix - - n - 1 scache',
  'postlog unix-dgram n - n - 1 postlogd',
]

export async function startPostfix({ programs, name, relayTo, more = [] }: PostfixOptions): Promise<Postfix> {
  const folder = mkdtempSync(join(tmpdir(), 'pendro-mta-'))
  // Its processes are of another account than the tests.
  chmodSync(folder, 0o755)
  const conf = join(folder, 'conf')
  const queue = join(folder, 'queue')
  const data = join(folder, 'data')
  const uid = accountId(owner.name)
  const port = await freePort()
  mkdirSync(conf)
  mkdirSync(data)
  chownSync(data, uid, 0)
  mkdirSync(queue, { mode: 0o755 })
  for (const one of 'active bounce corrupt defer deferred flush hold incoming private saved trace'.split(
    ' ',
  )) {
    mkdirSync(join(queue, one), { mode: 0o700 })
    chownSync(join(queue, one), uid, 0)
  }
  for (const one of ['maildrop', 'public']) {
    mkdirSync(join(queue, one), { mode: 0o710 })
    chownSync(join(queue, one), uid, groupId(owner.group))
  }
  mkdirSync(join(queue, 'pid'))
  const file = join(folder, 'log')
  writeFileSync(
    join(conf, 'main.cf'),
    [
      'compatibility_level = 3.6',
      `queue_directory = ${queue}`,
      `data_directory = ${data}`,
      `daemon_directory = ${programs}/usr/lib/postfix/sbin`,
      `command_directory = ${programs}/usr/sbin`,
      `shlib_directory = ${programs}/usr/lib/postfix`,
      `meta_directory = ${conf}`,
      `mail_owner = ${owner.name}`,
      `setgid_group = ${owner.group}`,
      `myhostname = ${name}`,
      `myorigin = ${name}`,
      'inet_interfaces = 127.0.0.1',
      'inet_protocols = ipv4',
      'mydestination =',
      'mynetworks = 127.0.0.0/8',
      'local_transport = error:none',
      'alias_maps =',
      'maillog_file_prefixes = /',
      `maillog_file = ${file}`,
      'import_environment = MAIL_CONFIG MAIL_DEBUG MAIL_LOGTAG TZ LANG=C POSTLOG_SERVICE POSTLOG_HOSTNAME LD_LIBRARY_PATH',
      'smtp_dns_support_level = disabled',
      'smtp_host_lookup = native',
      `relayhost = [127.0.0.1]:${relayTo}`,
      ...more,
      '',
    ].join('\n'),
  )
  writeFileSync(
    join(conf, 'master.cf'),
    [`127.0.0.1:${port} inet n - n - - smtpd`, ...services, ''].join('\n'),
  )
  const log = () => {
    try {
      return readFileSync(file, 'utf8')
    } catch {
      return ''
    }
  }
  const master = spawn(join(programs, 'usr/lib/postfix/sbin/master'), ['-c', conf, '-d'], {
    env: { PATH: process.env.PATH, LD_LIBRARY_PATH: join(programs, 'usr/lib/postfix'), MAIL_CONFIG: conf },
    stdio: ['ignore', 'pipe', 'pipe'],
  })
  let said = ''
  master.stderr.on('data', (part: Buffer) => (said += part.toString()))
  const ended = new Promise<void>(resolve => master.once('close', () => resolve()))
  const close = async () => {
    master.kill('SIGTERM')
    await ended
    rmSync(folder, { recursive: true, force: true })
  }
  const until = Date.now() + 120_000
  while (!(await answers(port))) {
    if (Date.now() > until || master.exitCode !== null) {
      await close()
      throw new Error(`the mail server did not start: ${said}${log()}`)
    }
    await new Promise(resolve => setTimeout(resolve, 100))
  }
  return { port, log, close }
}

const lineOf = (file: string, name: string): string[] =>
  readFileSync(file, 'utf8')
    .split('\n')
    .find(line => line.startsWith(`${name}:`))
    ?.split(':') ?? []
const accountId = (name: string) => Number(lineOf('/etc/passwd', name)[2])
const groupId = (name: string) => Number(lineOf('/etc/group', name)[2])
