import { junkDraft, junkKinds, lockedArchive, startCampaign, type JunkKind } from './junk.ts'
import type { Draft } from './letter.ts'
import type { Colleague } from './organisation.ts'
import type { Chance } from './random.ts'
import { fill } from './wanted.ts'

/** Mail that the sender lists of the demo are about: each of these makes one entry right, or wrong. */
export interface ListLetter {
  readonly times: number
  readonly direction: 'in' | 'out'
  readonly truth: 'wanted' | 'junk' | 'phishing'
  readonly cause: string | null
  /** A colleague hands it in as having got through. */
  readonly reported?: boolean
  readonly write: (to: Colleague, chance: Chance, turn: number) => Draft
  /** Name of the colleague or mailbox; else anybody of the department. */
  readonly to?: string
  readonly department?: string
}

const signed = (draft: Draft): Draft => ({ ...draft, signed: true })
const addressed = ({ name, address }: Colleague) => [{ name, address }]

/** Harbour authorities that write from one host after the other. */
const harbourHosts: readonly (readonly [string, string, string])[] = [
  ['Kaivakten Havnevesenet', 'vakt@kai.havnevesen.example', 'Kaiplass {n} {day}'],
  ['Losmelding', 'melding@los.havnevesen.example', 'Los bestilt til MF {ship}, {time}'],
  ['Havnevesenet Meldinger', 'ikke-svar@meld.havnevesen.example', 'Melding {n}: mudring ved kai {n}'],
]

const kindOf = (key: string): JunkKind => {
  const found = junkKinds.find(kind => kind.key === key)
  if (!found) throw new Error(`no kind of junk ${key}`)
  return found
}

/** Junk that really comes from the named account: somebody else has its password. */
function stolen(
  kind: string,
  name: string,
  address: string,
  colleagues: readonly Colleague[],
): (to: Colleague, chance: Chance) => Draft {
  return (to, chance) => ({
    ...junkDraft(startCampaign(kindOf(kind), 'en', chance, colleagues), [to], chance),
    from: { name, address },
    envelopeFrom: undefined,
    proof: 'pass',
  })
}

export function listLetters(colleagues: readonly Colleague[]): readonly ListLetter[] {
  const harbour = harbourHosts.map(([name, address, subject]): ListLetter => ({
    times: 9,
    direction: 'in',
    truth: 'wanted',
    cause: null,
    department: 'Harbour relations',
    write: (to, chance) => ({
      from: { name, address },
      to: addressed(to),
      subject: fill(subject, chance, { language: 'nb' }),
      text: fill(
        'Hei,\n\nmelding til alle som anløper {day}: kai {n} er ledig fra {time}. Svar til vakten hvis det ikke passer.',
        chance,
        { language: 'nb' },
      ),
      proof: 'pass',
    }),
  }))
  return [
    ...harbour,
    // One domain, a harbour master whose letters are held and an account that was taken over.
    {
      times: 6,
      direction: 'in',
      truth: 'wanted',
      cause: 'A guest harbour whose neighbour account was taken over',
      department: 'Harbour relations',
      write: (to, chance) => {
        const code = fill('{code}', chance)
        const text = fill(
          `Hei ${to.name.split(' ')[0]},\n\nfellesplanen for kai {n} er oppdatert. Listen ligger bak lenken og gjelder fra {day}. Bekreft innen {time}, ellers blir plassen gitt bort.`,
          chance,
          { language: 'nb' },
        )
        return {
          from: { name: 'Havnevakt Gjestebrygga', address: 'havnevakt@gjestebrygga.example' },
          to: addressed(to),
          subject: fill('Kailiste uke {week}, haster', chance),
          text: `${text}\n\nKailiste: https://files.dropshelf.example/k/${code}`,
          html: `<p>${text.replaceAll('\n\n', '</p><p>')}</p><p><a href="https://files.dropshelf.example/k/${code}">www.gjestebrygga.example/kailiste</a></p>`,
          proof: 'pass',
          messageId: null,
          clockOff: 4100,
          attachments: [{ name: 'kailiste.zip', type: 'application/zip', content: lockedArchive() }],
        }
      },
    },
    {
      times: 8,
      direction: 'in',
      truth: 'junk',
      cause: null,
      write: stolen('inheritance', 'Barrister Osric Vane', 'booking@gjestebrygga.example', colleagues),
    },
    // A supplier whose whole domain is safe, and one account of it that sends what it should not.
    {
      times: 5,
      direction: 'in',
      truth: 'phishing',
      cause: null,
      reported: true,
      department: 'Workshop',
      write: stolen('parcel', 'Rechnungsstelle', 'rechnung@kranich-bedarf.example', colleagues),
    },
    // Her sister writes from a shared provider, and so does whoever else has an account there.
    {
      times: 5,
      direction: 'in',
      truth: 'wanted',
      cause: null,
      to: 'Kari Moen',
      write: (to, chance) => ({
        from: { name: 'Torunn Moen', address: 'torunn.moen@freepost.example' },
        to: addressed(to),
        subject: fill('Bilder fra {day}', chance, { language: 'nb' }),
        text: 'Hei Kari,\n\nher er bildene fra turen. Klem fra oss!',
        proof: 'pass',
      }),
    },
    {
      times: 6,
      direction: 'in',
      truth: 'junk',
      cause: null,
      to: 'Kari Moen',
      write: stolen('inheritance', 'Barrister Osric Vane', 'o.vane.chambers@freepost.example', colleagues),
    },
    // A machine that proves nothing, kept safe in vain.
    {
      times: 6,
      direction: 'in',
      truth: 'wanted',
      cause: null,
      to: 'Tore Vik',
      write: (to, chance) => ({
        from: { name: 'Lager 2', address: 'skanner@skjaergard-lager.example' },
        to: addressed(to),
        subject: fill('Følgeseddel {code}', chance),
        text: fill('Skannet {day} {time}. {n} kolli til MF {ship}.', chance, { language: 'nb' }),
        proof: 'none',
      }),
    },
    // Somebody she blocked in anger, and has written to ever since.
    {
      times: 4,
      direction: 'out',
      truth: 'wanted',
      cause: null,
      to: 'Sigrid Lund',
      write: (from, chance) => ({
        from: { name: from.name, address: from.address },
        to: [{ name: 'Strandhotell Lun', address: 'resepsjon@strandhotell-lun.example' }],
        subject: fill('Rom til mannskapet, uke {week}', chance),
        text: fill('Hei,\n\nvi trenger {n} rom {day}. Kan dere bekrefte?\n\nSigrid Lund', chance, {
          language: 'nb',
        }),
        proof: 'pass',
      }),
    },
    // A shop that writes from another address each time, and offers a proper way out.
    {
      times: 12,
      direction: 'in',
      truth: 'junk',
      cause: null,
      department: 'Catering',
      write: (to, chance, turn) => {
        const code = fill('{code}', chance)
        return signed({
          from: { name: 'Kystkupp', address: `tilbud-${4100 + turn}@post.kystkupp.example` },
          to: addressed(to),
          envelopeFrom: `retur-${4100 + turn}@post.kystkupp.example`,
          subject: fill('{n} kroner av på alt til byssa, kun i dag', chance),
          text: fill(
            `Siste sjanse! {n} prosent rabatt på gryter, grytekluter og forklær. Gratis frakt, tilbudet er kun i dag. Klikk her og vinn: https://click.kystkupp.example/${code}`,
            chance,
          ),
          html: fill(
            `<p>Siste sjanse! <b>{n} prosent rabatt</b> på gryter, grytekluter og forklær.</p><p>Gratis frakt, tilbudet er kun i dag.</p><p><a href="https://click.kystkupp.example/${code}">Klikk her og vinn</a></p>`,
            chance,
          ),
          proof: 'pass',
          headers: {
            'List-Id': 'Kystkupp tilbud <tilbud.kystkupp.example>',
            'List-Unsubscribe': `<https://post.kystkupp.example/av/${code}>, <mailto:av@post.kystkupp.example>`,
            'List-Unsubscribe-Post': 'List-Unsubscribe=One-Click',
            Precedence: 'bulk',
          },
        })
      },
    },
  ]
}
