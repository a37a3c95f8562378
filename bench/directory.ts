import { planDirectory } from '@pendro/core/directory'
import { demoOrganisation } from '../scripts/fill-demo.ts'
import { demoStaffers } from '../scripts/sign-ins.mjs'
import { execute, openDatabase } from '../server/src/db/database.ts'
import { migrate } from '../server/src/db/migrate.ts'
import { readLdap } from '../server/src/mailboxes/ldap.ts'
import { lookAtDirectory, takeDirectory } from '../server/src/mailboxes/sync.ts'
import { pendro } from '../server/src/record/write.ts'
import { setUp } from '../server/src/set-up.ts'
import { barePages, base, bindDn, bindPassword, person, startLdap, top } from '../server/tests/ldap-server.ts'
import { atMost, inTurns, ms, type Section } from './measure.ts'

const people = 99_000

const setting = (url: string) => ({
  url,
  startTls: false,
  bindDn,
  base,
  people: '(&(objectClass=inetOrgPerson)(mail=*))',
  groups: '',
  attributes: {
    address: 'mail',
    name: 'displayName',
    department: 'departmentNumber',
    aliases: '',
    language: 'preferredLanguage',
    members: '',
  },
  share: 5,
  hourly: false,
})

/** An organisation of nearly as many people as Pendro takes from one directory. */
export async function benchDirectory(
  url: (database: string) => string,
  sql: (text: string) => unknown,
): Promise<Section> {
  sql('DROP DATABASE IF EXISTS pendro_directory; CREATE DATABASE pendro_directory')
  const db = openDatabase(url('pendro_directory'))
  await migrate(db)
  await setUp(db, { organisation: demoOrganisation, mailboxes: [], staffers: demoStaffers })
  const ldap = await startLdap()
  const entries = Array.from({ length: people }, (_, i) =>
    person({
      uid: `p${i}`,
      name: `Colleague ${i}`,
      mail: `p${i}@vindholm.example`,
      department: `Deck ${i % 40}`,
      language: 'no',
    }),
  )
  await ldap.fill([...top, ...entries].join('\n\n'))
  const access = { password: bindPassword, ca: '' }
  await execute(
    db,
    "UPDATE organisation SET settings = JSON_SET(settings, '$.directory', JSON_EXTRACT(:value, '$'))",
    { value: JSON.stringify(setting(ldap.url)) },
  )
  const [reading = 0, bare = 1] = await inTurns(
    3,
    () => readLdap(setting(ldap.url), access),
    () => barePages(ldap.url, setting(ldap.url).people),
  )
  const deps = {
    ...access,
    db,
    plan: (...given: Parameters<typeof planDirectory>) => planDirectory(...given),
    now: new Date(),
  }
  const began = performance.now()
  const taken = await takeDirectory(deps, { by: pendro, token: crypto.randomUUID(), closes: 0 })
  const taking = performance.now() - began
  await execute(db, 'CREATE TABLE bare_boxes LIKE mailboxes')
  await execute(db, 'CREATE TABLE bare_addresses LIKE mailbox_addresses')
  const bareBegan = performance.now()
  for (const [to, from] of [
    ['bare_boxes', 'mailboxes'],
    ['bare_addresses', 'mailbox_addresses'],
  ])
    for (let at = 0; at < people; at += 500)
      await execute(
        db,
        `INSERT INTO ${to} SELECT * FROM ${from} WHERE ${from === 'mailboxes' ? 'id' : 'mailbox_id'} > :at AND ${from === 'mailboxes' ? 'id' : 'mailbox_id'} <= :to`,
        { at, to: at + 500 },
      )
  const writing = performance.now() - bareBegan
  const [again = 0] = await inTurns(3, () => lookAtDirectory(deps))
  await ldap.stop()
  await db.close()
  return {
    title: 'A directory of 99,000 people (slapd)',
    rows: [
      atMost('Reading everybody', reading, bare, 1.5, 'the library’s pages, thrown away'),
      atMost(
        `Taking over ${taken.add.toLocaleString('en')} new mailboxes, as one act`,
        taking,
        bare + writing,
        6,
        'the library’s pages, and bare INSERT … SELECT of the same rows by 500',
      ),
      atMost('Looking again, when nothing has changed', again, bare, 2.5, 'the library’s pages, thrown away'),
    ],
    notes: `The plan is made in a worker thread in the server; here it is in the same one. The first take is one transaction of ${ms(taking)}.`,
  }
}
