import { Parser } from 'htmlparser2'
import { describe, expect, test } from 'vitest'
import { composeDigest, type DigestInput, type DigestLine } from '@pendro/core/digest'

/** Words that show which were asked for and with what. */
const t = (key: string, facts: Record<string, string | number> = {}) =>
  [key, ...Object.values(facts).map(String)].join('|')

const line = (more: Partial<DigestLine> = {}): DigestLine => ({
  name: 'Fjellby School',
  address: 'kontor@fjellby.example',
  subject: '64 pupils on the 09:10',
  receivedAt: Date.UTC(2026, 10, 24, 6, 5),
  reason: 'The sender is new to us.',
  reference: 'K7Q-4MD',
  note: '',
  links: {
    read: 'https://p.example/read',
    send: 'https://p.example/send',
    trust: 'https://p.example/trust',
    refuse: 'https://p.example/refuse',
  },
  ...more,
})
const input = (more: Partial<DigestInput> = {}): DigestInput => ({
  colleague: 'Anna',
  organisation: 'Vindholm Ferries',
  language: 'en',
  timeZone: 'Europe/Oslo',
  lines: [line()],
  ending: [],
  leftOut: 0,
  leftOutUntil: null,
  leavesOutJunk: false,
  ownPage: '',
  freshPage: '',
  foot: '',
  ...more,
})
function composed(more: Partial<DigestInput> = {}) {
  const digest = composeDigest(input(more), t)
  if (digest === null) throw new Error('nothing to say')
  return digest
}

/** What a reader of HTML sees, and where its links lead; read by a parser that is not ours. */
function read(html: string) {
  const texts: string[] = []
  const links: { to: string; text: string }[] = []
  let at: { to: string; text: string } | null = null
  let styles = 0
  let all = ''
  const parser = new Parser({
    onopentag: (name, { href = '', style = '' }) => {
      styles += style === '' ? 0 : 1
      if (name === 'a') links.push((at = { to: href, text: '' }))
    },
    onclosetag: name => {
      if (name === 'a') at = null
    },
    ontext: text => {
      all += text
      if (at) at.text += text
      if (text.trim() !== '') texts.push(text.trim())
    },
  })
  parser.end(html)
  return { texts, links, styles, all }
}

describe('a digest', () => {
  test('as text, part by part', () => {
    expect(
      composed({ leftOut: 4, leftOutUntil: Date.UTC(2026, 11, 24), ownPage: 'https://p.example/me' }),
    ).toMatchObject({
      subject: 'digest.subject|1',
      text: [
        'digest.greeting|Anna',
        'digest.intro|1',
        'Fjellby School <kontor@fjellby.example>\n  64 pupils on the 09:10\n  Tue 24 Nov, 07:05 · The sender is new to us.\n  K7Q-4MD\n  digest.any https://p.example/read',
        'digest.leftOut|4|24 December',
        'digest.ownPage https://p.example/me',
        'digest.fresh',
        'digest.howToAsk digest.help|Vindholm Ferries\n',
      ].join('\n\n'),
    })
  })

  test('as HTML it says the same, with four links a message', () => {
    const { texts, links, styles } = read(
      composed({
        leftOut: 4,
        leftOutUntil: Date.UTC(2026, 11, 24),
        ownPage: 'https://p.example/me',
        freshPage: 'https://p.example/me/settings',
        lines: [line({ note: 'Is this the school trip?' })],
      }).html,
    )
    expect(texts).toEqual([
      'digest.subject|1',
      'digest.greeting|Anna',
      'digest.intro|1',
      'Tue 24 Nov, 07:05',
      'Fjellby School',
      'kontor@fjellby.example',
      '64 pupils on the 09:10',
      'The sender is new to us.',
      'digest.note',
      'Is this the school trip?',
      'K7Q-4MD',
      'act.read',
      'act.send',
      'act.send-trust',
      'act.refuse',
      'digest.leftOut|4|24 December',
      'digest.ownPage',
      'https://p.example/me',
      'digest.fresh digest.freshHere',
      'https://p.example/me/settings',
      'digest.howToAsk digest.help|Vindholm Ferries',
    ])
    expect(links).toEqual([
      { to: 'https://p.example/read', text: 'act.read' },
      { to: 'https://p.example/send', text: 'act.send' },
      { to: 'https://p.example/trust', text: 'act.send-trust' },
      { to: 'https://p.example/refuse', text: 'act.refuse' },
      { to: 'https://p.example/me', text: 'https://p.example/me' },
      { to: 'https://p.example/me/settings', text: 'https://p.example/me/settings' },
    ])
    expect(styles).toBeGreaterThan(8)
  })

  test('what is about to go stands first, with its day; alone it is the subject and all there is', () => {
    const ending = [
      { ...line({ subject: 'Old offer', reference: 'A2B-3CD' }), goesOn: Date.UTC(2026, 11, 18) },
    ]
    const both = composed({ ending })
    expect(both.subject).toBe('digest.subject|1')
    for (const body of [both.text, read(both.html).all]) {
      const places = ['digest.ending|1', 'Old offer', 'digest.goesOn|18 December', 'A2B-3CD', 'K7Q-4MD']
      const found = places.map(part => body.indexOf(part))
      expect(found).not.toContain(-1)
      expect(found).toEqual([...found].sort((a, b) => a - b))
      // It begins a paragraph of its own there.
      expect(body).toContain('Digest.intro|1')
    }
    const alone = composed({ lines: [], ending })
    expect(alone.subject).toBe('digest.subjectEnding|1')
    expect(alone.text).toContain('digest.howToAsk')
    expect(alone.text.toLowerCase()).not.toContain('digest.intro')
    expect(alone.text).not.toContain('K7Q-4MD')
  })

  test('nothing to say is no digest; what was left out alone is one', () => {
    expect(composeDigest(input({ lines: [] }), t)).toBe(null)
    const { text } = composed({ lines: [], leftOut: 2, leftOutUntil: 0 })
    expect(text).toContain('digest.leftOut|2|1 January')
    // Nothing is listed, so nothing can be asked for.
    expect(text).not.toContain('digest.howToAsk')
  })

  test('mail of the junk folder that is left out has its own words; none left out has none', () => {
    expect(composed({ leftOut: 2, leftOutUntil: 0, leavesOutJunk: true }).text).toContain(
      'digest.leftOutJunk|2|1 January',
    )
    expect(composed({ leftOut: 2, leftOutUntil: null }).text).not.toContain('digest.leftOut')
    expect(composed({ leftOut: 0, leftOutUntil: 0 }).text).not.toContain('digest.leftOut')
  })

  test('a note, a reference and links are said where there are any', () => {
    const with_ = composed({ lines: [line({ note: 'Ask Ben.' })] })
    expect(with_.text).toContain('  digest.note Ask Ben.\n')
    const without = composed({ lines: [line({ reference: '', links: null })] })
    expect(without.text).not.toMatch(/K7Q|digest\.any|digest\.note/)
    expect(read(without.html).links).toEqual([])
    expect(without.html).not.toContain('digest.note')
  })

  test('a sender without a name is their address', () => {
    for (const name of ['', '\u200b\u202e ']) {
      expect(composed({ lines: [line({ name })] }).text).toContain(
        'kontor@fjellby.example <kontor@fjellby.example>\n',
      )
      expect(read(composed({ lines: [line({ name })] }).html).texts).toContain('kontor@fjellby.example')
    }
  })

  test.each([
    ['en', 'Europe/Oslo', 'Tue 24 Nov, 07:05'],
    ['en', 'America/New_York', 'Tue 24 Nov, 01:05'],
    ['nb', 'Europe/Oslo', 'tir. 24. nov., 07:05'],
    ['de', 'Europe/Berlin', 'Di., 24. Nov., 07:05'],
    ['en', 'Pacific/Chatham', 'Tue 24 Nov, 19:50'],
  ])('in %s and %s a time is %s', (language, timeZone, time) => {
    const { text, html } = composed({ language, timeZone })
    expect(text).toContain(time)
    expect(html).toContain(`lang="${language}"`)
  })
})

describe('what a sender wrote', () => {
  test('is no markup', () => {
    const evil = `<b>"x" & 'y'</b>`
    const { html } = composed({
      lines: [line({ name: evil, subject: evil, reason: evil, note: evil, reference: evil })],
    })
    expect(html).not.toContain(evil)
    // As text it is all there: in the name, the subject, the reason, the note and the reference.
    expect(read(html).all.split(evil)).toHaveLength(6)
  })
  test('is no link that a mail program would make live, and stays readable', () => {
    const bodyOf = (subject: string) =>
      composed({ lines: [line({ subject, links: null })] }).text.split('\n')[5]
    expect(bodyOf('Pay at https://bank.example/now')).toBe('  Pay at https[:]//bank[.]example/now')
    expect(bodyOf('www.bank')).toBe('  www[.]bank')
    expect(bodyOf('mail.bank.example: overdue')).toBe('  mail[.]bank[.]example: overdue')
    expect(bodyOf('Invoice no. 12.50 of 3.4.2026')).toBe('  Invoice no. 12.50 of 3.4.2026')
    expect(bodyOf('See you. Anna')).toBe('  See you. Anna')
  })
  test('turns and hides nothing', () => {
    const { text, html } = composed({
      lines: [line({ subject: 'a\u202eb\u200bc\u0007d\u2066e\ufeff\r\n  f', note: 'g\u202eh' })],
    })
    expect(text).toContain('  a b c d e f\n')
    expect(text).toContain('digest.note g h\n')
    expect(html).toContain('<bdi>a b c d e f</bdi>')
    // eslint-disable-next-line no-control-regex -- control characters are what must not be there
    expect(text + html).not.toMatch(/[\u0000-\u0009\u000b-\u001f\u200b\u202e\u2066\ufeff]/)
  })
})
