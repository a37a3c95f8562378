import { chmodSync, existsSync, mkdtempSync, writeFileSync } from 'node:fs'
import { spawnSync } from 'node:child_process'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { describe, expect, test } from 'vitest'
import { parsePattern } from '@pendro/core/senders'
import { writeSieve, type WrittenEntry } from '@pendro/core/lists'

// Debian dovecot-sieve's interpreter: an independent reader of RFC 5228 says where each message would go.
const interpreter = ['/usr/bin/sieve-test', '/usr/local/bin/sieve-test'].find(existsSync)

function entry(text: string, standing: 'safe' | 'blocked', more: Partial<WrittenEntry> = {}): WrittenEntry {
  const pattern = parsePattern(text)
  if (!pattern.ok) throw new Error(text)
  return {
    pattern: pattern.value,
    standing,
    reason: '',
    until: null,
    withoutAuthentication: false,
    keptBy: '',
    binding: false,
    ...more,
  }
}

const isRoot = process.getuid?.() === 0
const nobody = 65_534
const ids = isRoot
  ? { uid: nobody, gid: nobody }
  : { uid: process.getuid?.() ?? nobody, gid: process.getgid?.() ?? nobody }

interface Sent {
  readonly from: string
  readonly sender?: string
  readonly envelope?: string
  readonly listId?: string
}

/** Where the script of some entries puts a message: 'kept' by a rule, in 'Junk', or 'unmet' when no rule is about it. */
function runSieve(
  entries: readonly WrittenEntry[],
  { from, sender, envelope, listId }: Sent,
): 'kept' | 'Junk' | 'unmet' {
  const folder = mkdtempSync(join(tmpdir(), 'sieve-run-'))
  // What is left over after all rules goes to a folder of its own, so that 'keep' by a rule shows.
  writeFileSync(join(folder, 'a.sieve'), `${writeSieve(entries)}fileinto "Unmet";\n`)
  // It runs as whoever the mail belongs to, and that may not be root.
  const { uid, gid } = ids
  chmodSync(folder, 0o755)
  writeFileSync(
    join(folder, 'conf'),
    `mail_uid = ${uid}\nmail_gid = ${gid}\nfirst_valid_uid = ${uid}\nfirst_valid_gid = ${gid}\nmail_location = mbox:${folder}/box\n`,
  )
  writeFileSync(
    join(folder, 'mail'),
    [
      `From: ${from}`,
      ...(sender === undefined ? [] : [`Sender: ${sender}`]),
      ...(listId === undefined ? [] : [`List-Id: ${listId}`]),
      'To: anna@harbour.example',
      'Subject: x',
      '',
      'x',
      '',
    ].join('\r\n'),
  )
  const { stdout, stderr } = spawnSync(
    interpreter ?? '',
    [
      '-c',
      join(folder, 'conf'),
      '-f',
      envelope ?? 'bounces@elsewhere.example',
      join(folder, 'a.sieve'),
      join(folder, 'mail'),
    ],
    { encoding: 'utf8', uid, gid, env: { PATH: process.env.PATH, HOME: folder } },
  )
  const stored = /store message in folder: (\S+)/.exec(stdout)?.[1]
  if (stored === undefined) throw new Error(`${stdout}\n${stderr}`)
  return stored === 'INBOX' ? 'kept' : stored === 'Unmet' ? 'unmet' : (stored as 'Junk')
}

describe.skipIf(!interpreter)(
  'an exported script does what the list says (skipped where there is no sieve-test)',
  () => {
    test.each<readonly [string, Sent, 'met' | 'unmet']>([
      ['anna@x.example', { from: 'anna@x.example' }, 'met'],
      ['anna@x.example', { from: 'Anna <ANNA@X.Example>' }, 'met'],
      ['anna@x.example', { from: 'anna+orders@x.example' }, 'met'],
      ['anna@x.example', { from: 'joanna@x.example' }, 'unmet'],
      ['anna@x.example', { from: 'anna@mail.x.example' }, 'unmet'],
      ['anna@x.example', { from: 'annab@x.example' }, 'unmet'],
      ['anna+orders@x.example', { from: 'anna+orders@x.example' }, 'met'],
      ['anna+orders@x.example', { from: 'anna@x.example' }, 'unmet'],
      ['anna+orders@x.example', { from: 'anna+news@x.example' }, 'unmet'],
      ['?q@x.example', { from: '?q+b@x.example' }, 'met'],
      ['?q@x.example', { from: 'aq+b@x.example' }, 'unmet'],
      ['x.example', { from: 'ben@x.example' }, 'met'],
      ['x.example', { from: 'ben@mail.x.example' }, 'unmet'],
      ['x.example', { from: 'ben@notx.example' }, 'unmet'],
      ['*.x.example', { from: 'ben@x.example' }, 'met'],
      ['*.x.example', { from: 'ben@a.mail.x.example' }, 'met'],
      ['*.x.example', { from: 'ben@notx.example' }, 'unmet'],
      ['<news.x.example>', { from: 'a@y.example', listId: 'News <news.x.example>' }, 'met'],
      ['<news.x.example>', { from: 'a@y.example', listId: '<old.news.x.example>' }, 'unmet'],
      ['<news.x.example>', { from: 'a@news.x.example' }, 'unmet'],
    ])('%s and %o: %s', (text, sent, expected) => {
      expect(runSieve([entry(text, 'safe')], sent)).toBe(expected === 'met' ? 'kept' : 'unmet')
      expect(runSieve([entry(text, 'blocked')], sent)).toBe(expected === 'met' ? 'Junk' : 'unmet')
    })

    test('a block looks at Sender and the envelope, too; a safe entry at From alone (domain.md §2)', () => {
      for (const sent of [
        { from: 'a@y.example', sender: 'ben@x.example' },
        { from: 'a@y.example', envelope: 'ben@x.example' },
      ]) {
        expect(runSieve([entry('x.example', 'blocked')], sent)).toBe('Junk')
        expect(runSieve([entry('x.example', 'safe')], sent)).toBe('unmet')
      }
    })

    test('the narrowest decides, and the later rule is not reached', () => {
      const both = [entry('x.example', 'blocked'), entry('anna@x.example', 'safe')]
      expect(runSieve(both, { from: 'anna@x.example' })).toBe('kept')
      expect(runSieve(both, { from: 'ben@x.example' })).toBe('Junk')
      const near = [entry('*.x.example', 'safe'), entry('*.mail.x.example', 'blocked')]
      expect(runSieve(near, { from: 'a@b.mail.x.example' })).toBe('Junk')
      expect(runSieve(near, { from: 'a@x.example' })).toBe('kept')
    })

    test('an entry that has ended counts no more', () => {
      expect(
        runSieve([entry('x.example', 'blocked', { until: '2020-01-31' })], { from: 'a@x.example' }),
      ).toBe('unmet')
      expect(
        runSieve([entry('x.example', 'blocked', { until: '2199-01-31' })], { from: 'a@x.example' }),
      ).toBe('Junk')
    })
  },
)
