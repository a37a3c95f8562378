import type { Colleague } from './organisation.ts'
import type { Chance } from './random.ts'

/** A sender entry of past months, as people really leave them behind. */
export interface PastEntry {
  readonly pattern: string
  readonly standing: 'safe' | 'blocked'
  /** Address of the mailbox that keeps it; `null` for the organisation. */
  readonly owner: string | null
  readonly binding?: boolean
  readonly withoutAuthentication?: boolean
  /** Days from now until it ends; negative when it has. */
  readonly untilDays?: number
  readonly reason: string
  readonly origin: 'by hand' | 'ruling' | 'import'
  readonly daysAgo: number
}

const organisation = (
  pattern: string,
  standing: 'safe' | 'blocked',
  reason: string,
  daysAgo: number,
  more: Partial<PastEntry> = {},
): PastEntry => ({
  pattern,
  standing,
  owner: null,
  binding: standing === 'blocked',
  reason,
  origin: 'by hand',
  daysAgo,
  ...more,
})

const kept: readonly PastEntry[] = [
  organisation('*.havnevesen.example', 'safe', 'Harbour authorities write from many hosts', 240),
  organisation('terneholm-havn.example', 'safe', 'Our home harbour', 400),
  organisation('fjordfuel.example', 'safe', 'Bunkering orders must arrive', 310),
  organisation('hafen-nordersiel.example', 'safe', 'Asked for by Harbour relations', 190),
  organisation('*.losprove.example', 'safe', 'Pilot exam office', 150),
  organisation('vindh0lm.example', 'blocked', 'Looks like our own domain', 60),
  organisation('vlndholm.example', 'blocked', 'Looks like our own domain', 21),
  organisation('*.promo-harbour.example', 'blocked', 'From 104 mail rules, folded on 3 Nov', 22),
  organisation('bargainfleet.example', 'blocked', 'Hundreds a month, nobody wants it', 35),
  organisation('parcel-fees.example', 'blocked', 'Parcel fee phishing', 12),
  // waste and contradictions, as every grown list has them
  organisation('crew.fjordfuel.example', 'safe', '', 300),
  organisation('bunker@fjordfuel.example', 'safe', 'Asked for by phone', 320),
  organisation('oskar.dahlen@fjordfuel.example', 'safe', '', 322),
  organisation('outlet-pier.example', 'safe', 'Order for the galley, 2024', 500),
  organisation('outlet-pier.example', 'blocked', 'Only junk', 90),
  organisation('christmas-market.example', 'safe', 'Until the party', 370, { untilDays: -330 }),
]

/** Entries that several colleagues each keep for themselves, because nobody made one for all. */
const repeated: readonly (readonly [string, 'safe' | 'blocked', string, number])[] = [
  ['<gale-bulletins.havbris.example>', 'safe', 'Bridge', 12],
  ['proofs@halyard-print.example', 'safe', 'Timetable', 3],
  ['toner-amber.example', 'blocked', 'Finance', 7],
  ['rank-birch.example', 'blocked', 'IT', 5],
]

const personal: readonly (readonly [string, 'safe' | 'blocked', string, string, number])[] = [
  ['Kari Moen', 'safe', 'freepost.example', 'My sister’s photos never arrive', 80],
  ['Aksel Brandt', 'blocked', 'proofs@halyard-print.example', 'Not my timetable', 54],
  ['Sigrid Lund', 'blocked', 'deals@bargainfleet.example', '', 6],
  ['Sigrid Lund', 'safe', 'ops@skerry-freight.example', 'Every morning’s trailers', 130],
  ['Tore Vik', 'blocked', 'sale@outlet-pier.example', '', 210],
  ['Tore Vik', 'safe', 'vertrieb@kranich-bedarf.example', 'Spare parts', 180],
  ['Ingrid Solvang', 'safe', 'nell.carding@halyard-print.example', 'Printer', 260],
  ['Ingrid Solvang', 'safe', 'nell.cardign@halyard-print.example', 'Printer', 261],
  ['Ingrid Solvang', 'blocked', 'weekly@ferryletter.example', 'Too much', 45],
]

export function makeRegister(colleagues: readonly Colleague[], chance: Chance): readonly PastEntry[] {
  const byName = new Map(colleagues.map(c => [c.name, c]))
  const own = personal.flatMap(([name, standing, pattern, reason, daysAgo]): PastEntry[] => {
    const owner = byName.get(name)
    return owner ? [{ pattern, standing, owner: owner.address, reason, origin: 'by hand', daysAgo }] : []
  })
  const many = repeated.flatMap(([pattern, standing, department, count]) =>
    colleagues
      .filter(c => c.department === department && c.kind === 'person' && c.name !== 'Aksel Brandt')
      .slice(0, count)
      .map((c): PastEntry => ({
        pattern,
        standing,
        owner: c.address,
        reason: '',
        origin: 'by hand',
        daysAgo: chance.between(20, 300),
      })),
  )
  // Years of refusing whoever annoyed: they never came back.
  const quiet = Array.from({ length: 90 }, (_, i): PastEntry => ({
    pattern: chance.happens(0.5) ? `info@old-offer-${i}.example` : `old-offer-${i}.example`,
    standing: chance.happens(0.75) ? 'blocked' : 'safe',
    owner: chance.happens(0.2) ? null : chance.pick(colleagues).address,
    reason: '',
    origin: chance.happens(0.3) ? 'import' : 'by hand',
    daysAgo: chance.between(190, 900),
  }))
  return [
    ...kept,
    ...own,
    ...many,
    ...quiet.map(entry => ({ ...entry, binding: entry.owner === null && entry.standing === 'blocked' })),
  ]
}
