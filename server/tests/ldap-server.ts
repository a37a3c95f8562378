import { spawn, spawnSync, type ChildProcess } from 'node:child_process'
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { createConnection } from 'node:net'
import { Client } from 'ldapts'
import { freePort } from '../../scripts/database.mjs'
import { signCertificate } from './certificates.ts'

export const base = 'dc=harbour,dc=example'
export const bindDn = `cn=reader,${base}`
export const bindPassword = 'a directory password'

export interface LdapServer {
  readonly url: string
  /** The same with TLS from the start. */
  readonly tlsUrl: string
  /** File with the certificate of whoever signed the server's. */
  readonly ca: string
  readonly port: number
  /** Entries in place of all there are. */
  readonly fill: (ldif: string) => Promise<void>
  readonly stop: () => Promise<void>
}

const schemas = ['core', 'cosine', 'inetorgperson']

/** Debian's slapd on loopback, with a folder of its own; ended by its own process and no other. */
export async function startLdap(): Promise<LdapServer> {
  const folder = mkdtempSync(join(tmpdir(), 'pendro-ldap-'))
  const port = await freePort()
  const tlsPort = await freePort()
  const ca = signCertificate(folder)
  const config = join(folder, 'slapd.conf')
  writeFileSync(
    config,
    [
      ...schemas.map(name => `include /etc/ldap/schema/${name}.schema`),
      'modulepath /usr/lib/ldap',
      'moduleload back_mdb',
      `pidfile ${folder}/slapd.pid`,
      `TLSCertificateFile ${folder}/server.pem`,
      `TLSCertificateKeyFile ${folder}/server.key`,
      'database mdb',
      'maxsize 1073741824',
      `suffix "${base}"`,
      `rootdn "${bindDn}"`,
      `rootpw "${bindPassword}"`,
      `directory ${folder}/db`,
      // Only pages may be larger: whoever does not page sees but some.
      'sizelimit size.soft=100 size.hard=100 size.prtotal=unlimited',
      'access to * by * none',
    ].join('\n'),
  )
  let child: ChildProcess | null = null
  const begin = async () => {
    child = spawn(
      '/usr/sbin/slapd',
      ['-f', config, '-h', `ldap://127.0.0.1:${port} ldaps://127.0.0.1:${tlsPort}`, '-d', '0'],
      {
        stdio: 'ignore',
      },
    )
    await listening(port)
  }
  const end = () =>
    new Promise<void>(resolve => {
      if (!child || child.exitCode !== null) return resolve()
      child.once('exit', () => resolve())
      child.kill('SIGTERM')
    })
  const fill = async (ldif: string) => {
    await end()
    rmSync(join(folder, 'db'), { recursive: true, force: true })
    mkdirSync(join(folder, 'db'))
    const added = spawnSync('/usr/sbin/slapadd', ['-q', '-f', config], { input: ldif, encoding: 'utf8' })
    if (added.status !== 0) throw new Error(`slapadd: ${added.stderr}`)
    await begin()
  }
  return {
    url: `ldap://127.0.0.1:${port}`,
    tlsUrl: `ldaps://127.0.0.1:${tlsPort}`,
    ca,
    port,
    fill,
    stop: async () => {
      await end()
      rmSync(folder, { recursive: true, force: true })
    },
  }
}

async function listening(port: number): Promise<void> {
  for (let i = 0; i < 200; i += 1) {
    const open = await new Promise<boolean>(resolve => {
      const socket = createConnection({ port, host: '127.0.0.1' }, () => {
        socket.destroy()
        resolve(true)
      })
      socket.on('error', () => resolve(false))
    })
    if (open) return
    await new Promise(resolve => setTimeout(resolve, 50))
  }
  throw new Error('slapd does not listen')
}

/** LDIF (RFC 2849) of a value that may be anything. */
const line = (name: string, value: string) => `${name}:: ${Buffer.from(value).toString('base64')}`

export const top = [
  `dn: ${base}\nobjectClass: dcObject\nobjectClass: organization\ndc: harbour\no: Harbour`,
  `dn: ou=people,${base}\nobjectClass: organizationalUnit\nou: people`,
]

export interface Person {
  readonly uid: string
  readonly name?: string
  readonly department?: string
  readonly mail?: string
  readonly language?: string
  readonly aliases?: readonly string[]
}

export const person = ({ uid, name = uid, department, mail, language, aliases = [] }: Person): string =>
  [
    `dn: uid=${uid},ou=people,${base}`,
    'objectClass: inetOrgPerson',
    `uid: ${uid}`,
    line('cn', name),
    line('sn', name),
    line('displayName', name),
    line('mail', mail ?? `${uid}@harbour.example`),
    ...(department === undefined ? [] : [line('departmentNumber', department)]),
    ...(language === undefined ? [] : [line('preferredLanguage', language)]),
    ...aliases.map(alias => line('labeledURI', alias)),
  ].join('\n')

/** A group with an address: groupOfNames has none by itself, and any entry may have this class beside it. */
export const group = (name: string, mail: string, members: readonly string[]): string =>
  [
    `dn: cn=${name},${base}`,
    'objectClass: groupOfNames',
    'objectClass: extensibleObject',
    `cn: ${name}`,
    line('displayName', name),
    line('mail', mail),
    ...members.map(uid => `member: uid=${uid},ou=people,${base}`),
  ].join('\n')

/** A reference back to the very place it stands in (RFC 3296): who follows it never ends. */
export const referralTo = (url: string): string =>
  `dn: ou=loop,${base}\nobjectClass: referral\nobjectClass: extensibleObject\nou: loop\nref: ${url}/ou=loop,${base}`

/** Reads pages as the library does and throws them away; how many entries there were. What the bench holds Pendro's reading against. */
export async function barePages(url: string, filter: string): Promise<number> {
  const client = new Client({ url })
  await client.bind(bindDn, bindPassword)
  let n = 0
  const attributes = ['mail', 'displayName', 'departmentNumber', 'preferredLanguage', 'entryUUID']
  for await (const { searchEntries } of client.searchPaginated(base, {
    filter,
    attributes,
    paged: { pageSize: 500 },
  }))
    n += searchEntries.length
  await client.unbind()
  return n
}
