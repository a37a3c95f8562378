import { chmodSync, existsSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { spawnSync } from 'node:child_process'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { describe, expect, test } from 'vitest'
import { encodeWords } from '@pendro/core/address'
import { filingScript, type FilingFolders } from '@pendro/core/mail-rules'

// Debian dovecot-sieve's interpreter, which others wrote, says where a message goes.
const interpreter = ['/usr/bin/sieve-test', '/usr/local/bin/sieve-test'].find(existsSync)

/** What the interpreter does with a message of these fields. */
function filed(
  fields: readonly string[],
  folders: FilingFolders = { junk: 'Junk', aside: 'Set aside' },
): string {
  const folder = mkdtempSync(join(tmpdir(), 'sieve-filing-'))
  const isRoot = process.getuid?.() === 0
  const [uid, gid] = isRoot ? [65_534, 65_534] : [process.getuid?.(), process.getgid?.()]
  chmodSync(folder, 0o755)
  writeFileSync(join(folder, 'a.sieve'), filingScript(folders))
  writeFileSync(join(folder, 'mail'), [...fields, 'From: a@x.example', '', 'hi', ''].join('\r\n'))
  writeFileSync(
    join(folder, 'conf'),
    `mail_uid = ${uid}\nmail_gid = ${gid}\nfirst_valid_uid = ${uid}\nfirst_valid_gid = ${gid}\nmail_location = mbox:${folder}/box\n`,
  )
  const { stdout, stderr, status } = spawnSync(
    interpreter ?? '',
    ['-c', join(folder, 'conf'), join(folder, 'a.sieve'), join(folder, 'mail')],
    { encoding: 'utf8', ...(isRoot ? { uid: 65_534, gid: 65_534 } : {}) },
  )
  rmSync(folder, { recursive: true, force: true })
  if (status !== 0) throw new Error(stderr)
  return stdout
}

describe.skipIf(interpreter === undefined)('how a mail store files what Pendro hands it', () => {
  test.each<[what: string, fields: readonly string[], goes: RegExp]>([
    ['mail for the inbox', ['Pendro-Place: inbox'], /store message in folder: INBOX/],
    ['mail without a field', [], /store message in folder: INBOX/],
    ['junk', ['Pendro-Place: junk'], /store message in folder: Junk/],
    ['what is set aside', ['Pendro-Place: aside'], /store message in folder: Set aside/],
    ['a rule’s', ['Pendro-Place: moved', 'Pendro-Folder: Yard'], /store message in folder: Yard/],
    [
      'a rule’s, in a folder with letters of its own (RFC 2047)',
      ['Pendro-Place: moved', `Pendro-Folder: ${encodeWords('Båter')}`],
      /store message in folder: B(å|&AOU-)ter/,
    ],
    // Another place than a rule's: the folder is not asked for.
    ['a folder for what is in the inbox', ['Pendro-Place: inbox', 'Pendro-Folder: Yard'], /in folder: INBOX/],
    ['what only begins alike', ['Pendro-Place: junkyard'], /store message in folder: INBOX/],
  ])('%s', (_, fields, goes) => {
    const said = filed(fields)
    expect(said).toMatch(goes)
    expect(said.match(/store message in folder/g)).toHaveLength(1)
  })
  test.each<[folder: string, names: Partial<FilingFolders>, goes: string]>([
    ['Orders/Fish', {}, 'Orders/Fish'],
    ['Orders/Fish', { separator: '.' }, 'Orders.Fish'],
    ['Orders', { separator: '.' }, 'Orders'],
    ['a/b/c/d/e/f', { separator: '.' }, 'a.b.c.d.e.f'],
    // Deeper than anybody files: the rest keeps its name.
    ['a/b/c/d/e/f/g', { separator: '.' }, 'a.b.c.d.e.f/g'],
    ['Orders/Fish', { separator: '.', prefix: 'INBOX.' }, 'INBOX.Orders.Fish'],
    ['Orders', { prefix: 'Mail/' }, 'Mail/Orders'],
    ['Orders/Fish', { separator: '\\' }, 'Orders\\Fish'],
    ['${1}/Fish', { separator: '$' }, '${1}$Fish'],
  ])('a rule’s folder %s, where the store has %o, is %s', (folder, names, goes) => {
    const fields = ['Pendro-Place: moved', `Pendro-Folder: ${folder}`]
    const said = filed(fields, { junk: 'Junk', aside: '', ...names })
    expect(said).toContain(`store message in folder: ${goes}\n`)
  })
  test('a mark is put on', () =>
    expect(filed(['Pendro-Important: yes', 'Pendro-Place: junk'])).toMatch(/flags:? \\flagged/i))
  test('folders as the organisation has named them, whatever they are called', () => {
    const folders = { junk: 'Un"wanted ${x}', aside: '' }
    expect(filed(['Pendro-Place: junk'], folders)).toContain('store message in folder: Un"wanted ${x}')
    expect(filed(['Pendro-Place: aside'], folders)).toContain('store message in folder: INBOX')
  })
})
