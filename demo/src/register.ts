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
  /** Days since mail last met it, where that was before the month that is made. */
  readonly matchedDaysAgo?: number
  /** What is wrong with it, by plan: upkeep has to find this, and nothing that is not planned. */
  readonly planted?: Planted
}

export type Planted =
  | 'contradicts'
  | 'lets-in-too-much'
  | 'let-harm-in'
  | 'blocks-wanted'
  | 'for-everyone'
  | 'covered'
  | 'never-authenticated'
  | 'slip'
  | 'quiet'
  | 'expired'

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
  organisation('terneholm-havn.example', 'safe', 'Our home harbour', 400, { planted: 'contradicts' }),
  organisation('fjordfuel.example', 'safe', 'Bunkering orders must arrive', 310),
  organisation('hafen-nordersiel.example', 'safe', 'Asked for by Harbour relations', 190),
  organisation('vindh0lm.example', 'blocked', 'Looks like our own domain', 60),
  organisation('vlndholm.example', 'blocked', 'Looks like our own domain', 21),
  organisation('*.promo-harbour.example', 'blocked', 'From 104 mail rules, folded on 3 Nov', 22),
  organisation('bargainfleet.example', 'blocked', 'Hundreds a month, nobody wants it', 35),
  organisation('parcel-fees.example', 'blocked', 'Parcel fee phishing', 12),
  // waste and contradictions, as every grown list has them
  organisation('*.losprove.example', 'safe', 'Pilot exam office', 150, { planted: 'lets-in-too-much' }),
  organisation('kranich-bedarf.example', 'safe', 'Spare parts must arrive', 420, { planted: 'let-harm-in' }),
  organisation('crew.fjordfuel.example', 'safe', '', 300, { planted: 'quiet' }),
  organisation('bunker@fjordfuel.example', 'safe', 'Asked for by phone', 320, { planted: 'covered' }),
  organisation('oskar.dahlen@fjordfuel.example', 'safe', '', 322, { planted: 'covered' }),
  organisation('outlet-pier.example', 'safe', 'Order for the galley, 2024', 500, { planted: 'contradicts' }),
  organisation('outlet-pier.example', 'blocked', 'Only junk', 90, { planted: 'contradicts' }),
  organisation('christmas-market.example', 'safe', 'Until the party', 370, {
    untilDays: -330,
    planted: 'expired',
  }),
]

/** Entries that several colleagues each keep for themselves, because nobody made one for all. */
const repeated: readonly (readonly [string, 'safe' | 'blocked', string, number])[] = [
  ['<gale-bulletins.havbris.example>', 'safe', 'Bridge', 12],
  ['toner-amber.example', 'blocked', 'Finance', 7],
  ['rank-birch.example', 'blocked', 'IT', 5],
]

const personal: readonly (readonly [
  string,
  'safe' | 'blocked',
  string,
  string,
  number,
  Partial<PastEntry>?,
])[] = [
  [
    'Kari Moen',
    'safe',
    'freepost.example',
    'My sister’s photos never arrive',
    80,
    { planted: 'lets-in-too-much' },
  ],
  [
    'Aksel Brandt',
    'blocked',
    'terneholm-havn.example',
    'Too many berth lists',
    54,
    { planted: 'contradicts' },
  ],
  ['Sigrid Lund', 'blocked', 'deals@bargainfleet.example', '', 6, { planted: 'covered' }],
  ['Sigrid Lund', 'safe', 'ops@skerry-freight.example', 'Every morning’s trailers', 130],
  [
    'Sigrid Lund',
    'blocked',
    'resepsjon@strandhotell-lun.example',
    'Wrong bill, twice',
    66,
    { planted: 'blocks-wanted' },
  ],
  ['Tore Vik', 'blocked', 'sale@outlet-pier.example', '', 210, { planted: 'covered' }],
  ['Tore Vik', 'safe', 'vertrieb@kranich-bedarf.example', 'Spare parts', 180, { planted: 'contradicts' }],
  [
    'Tore Vik',
    'blocked',
    'vertrieb@kranich-bedarf.example',
    'Offers every day',
    34,
    { planted: 'contradicts' },
  ],
  [
    'Tore Vik',
    'safe',
    'skanner@skjaergard-lager.example',
    'The store’s scanner',
    77,
    { planted: 'never-authenticated' },
  ],
  ['Ingrid Solvang', 'safe', 'nell.carding@halyard-print.example', 'Printer', 260, { matchedDaysAgo: 41 }],
  ['Ingrid Solvang', 'safe', 'nell.cardign@halyard-print.example', 'Printer', 261, { planted: 'slip' }],
  ['Ingrid Solvang', 'blocked', 'letter@ferryletter.example', 'Too much', 45],
  ['Ingrid Solvang', 'safe', 'anmeldung@fährschule-molo.example', 'Exam dates', 9, { untilDays: 35 }],
]

/** What colleagues asked the stewards to make one for everybody. */
export interface PastRequest {
  readonly pattern: string
  readonly standing: 'safe' | 'blocked'
  /** Name of the colleague. */
  readonly colleague: string
  readonly reason: string
  readonly hoursAgo: number
  /** Why it was declined; without it the request is open. */
  readonly declined?: string
}

export const requests: readonly PastRequest[] = [
  {
    pattern: 'ops@skerry-freight.example',
    standing: 'safe',
    colleague: 'Sigrid Lund',
    reason: 'The whole freight desk waits for these trailer lists every morning',
    hoursAgo: 19,
  },
  {
    pattern: '*.kystkupp.example',
    standing: 'blocked',
    colleague: 'Kari Moen',
    reason: 'Everybody gets these',
    hoursAgo: 3,
  },
  {
    pattern: 'freepost.example',
    standing: 'safe',
    colleague: 'Kari Moen',
    reason: 'My sister’s photos',
    hoursAgo: 24 * 6,
    declined: 'Anyone can have an address there. We made your sister’s own address safe for you instead.',
  },
]

export function makeRegister(colleagues: readonly Colleague[], chance: Chance): readonly PastEntry[] {
  const byName = new Map(colleagues.map(c => [c.name, c]))
  const own = personal.flatMap(([name, standing, pattern, reason, daysAgo, more]): PastEntry[] => {
    const owner = byName.get(name)
    return owner
      ? [{ pattern, standing, owner: owner.address, reason, origin: 'by hand', daysAgo, ...more }]
      : []
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
        planted: 'for-everyone',
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
    planted: 'quiet',
    ...(chance.happens(0.5) ? { matchedDaysAgo: chance.between(181, 189) } : {}),
  }))
  return [
    ...kept,
    ...own,
    ...many,
    ...quiet.map(entry => ({ ...entry, binding: entry.owner === null && entry.standing === 'blocked' })),
  ]
}
