import { lockedArchive, plainArchive } from './junk.ts'
import type { Draft } from './letter.ts'
import type { Colleague, Department } from './organisation.ts'
import type { Chance } from './random.ts'
import { freshPerson } from './strangers.ts'
import { fill } from './wanted.ts'

/**
 * Wanted mail that looks like junk, one cause each: what a help desk is called about. `times` letters
 * over the 30 days. All invented.
 */
export interface HeldCause {
  readonly cause: string
  readonly times: number
  readonly departments: readonly Department[]
  /** Goes to this mailbox in place of a colleague of the department. */
  readonly mailbox?: string
  /** As many colleagues get the same letter at once. */
  readonly recipients?: number
  /** Others who write the same kind of letter; each time the next one does. */
  readonly others?: readonly (readonly [string, string])[]
  readonly draft: Omit<Draft, 'to'>
}

const link = (text: string, shown: string, target: string) =>
  `<html><body>${text
    .split('\n\n')
    .map(part => `<p>${part}</p>`)
    .join('')}<p><a href="${target}">${shown}</a></p></body></html>`

const withLink = (text: string, shown: string, target: string) => ({
  text: `${text}\n\n${shown}: ${target}`,
  html: link(text, shown, target),
})

export const heldCauses: readonly HeldCause[] = [
  {
    cause: 'A printer shares the proof through a file host',
    times: 7,
    departments: ['Timetable'],
    recipients: 9,
    others: [
      ['Stanzwerk Lagune', 'daten@stanzwerk-lagune.example'],
      ['Drukarnia Mewa', 'pliki@drukarnia-mewa.example'],
    ],
    draft: {
      from: { name: 'Halyard Print Works', address: 'proofs@halyard-print.example' },
      subject: 'Spring timetable proof {n}, please approve by Friday',
      proof: 'none',
      ...withLink(
        'Dear colleagues,\n\nproof {n} of the spring timetable is ready. The {time} from Terneholmen is now shown on Saturdays too. Please look at pages 4 and 5 and approve by Friday, so that we can print on Monday.',
        'Open the proof, 4 pages',
        'https://files.dropshelf.example/p/{code}',
      ),
    },
  },
  {
    cause: 'A surveyor’s report behind a link of a file host',
    times: 7,
    departments: ['Engine', 'Bridge'],
    others: [
      ['Lantern Class Bureau', 'reports@lantern-class.example'],
      ['Slipp & Skrog', 'rapport@slippogskrog.example'],
    ],
    draft: {
      from: { name: 'Nordlys Marine Survey', address: 'certificates@mail.nordlys-survey.example' },
      subject: 'Class certificate MV {ship}: missing page',
      proof: 'fail',
      ...withLink(
        'Dear {name},\n\nthe certificate of MV {ship} was printed without its third page. The complete one is behind the link; the old one is void from tomorrow.',
        'Certificate, 6 pages',
        'https://box.filequay.example/{code}',
      ),
    },
  },
  {
    cause: 'A school whose server proves nothing',
    times: 9,
    departments: ['Group bookings'],
    mailbox: 'groups@vindholm.example',
    others: [
      ['Nesbukta skole', 'post@nesbukta-skole.example'],
      ['Inselschule Norderwatt', 'sekretariat@inselschule-norderwatt.example'],
      ['Skarvik ungdomsskole', 'kontor@skarvik-ungdom.example'],
    ],
    draft: {
      from: { name: 'Fjellby skole kontor', address: 'kontor@fjellby-skole.example' },
      subject: '{n} elever på {time}-avgangen, faktura ønskes',
      proof: 'none',
      messageId: null,
      ...withLink(
        'Hei,\n\nvi kommer med {n} elever på avgangen {time} {day}. Vi betaler etter faktura. Navnelisten ligger her, den gjelder bare til fredag.',
        'Navneliste',
        'https://files.dropshelf.example/f/{code}',
      ),
    },
  },
  {
    cause: 'An applicant with two archives',
    times: 11,
    departments: ['Crewing'],
    mailbox: 'crewing@vindholm.example',
    others: [
      ['Tobias Kielwasser', 'tobias.kielwasser@quickpost.example'],
      ['Marek Bosmański', 'marek.bosmanski@freepost.example'],
      ['Elin Styrhus', 'elin.styrhus@quickpost.example'],
      ['Fergus Brackwater', 'f.brackwater@freepost.example'],
    ],
    draft: {
      from: { name: 'Jonas Wikmar', address: 'jonas.wikmar@freepost.example' },
      subject: 'Application, second engineer, certificates attached',
      proof: 'aligned',
      text: 'Dear Sir or Madam,\n\nI apply for the position of second engineer. My certificates are in the attached archives. I am free from week {week} and have sailed on ferries for eight years.\n\nKind regards\nJonas Wikmar',
      attachments: [
        { name: 'certificates.zip', type: 'application/zip', content: plainArchive() },
        { name: 'references.zip', type: 'application/zip', content: lockedArchive() },
      ],
    },
  },
  {
    cause: 'A Polish applicant from a free mail address',
    times: 7,
    departments: ['Crewing'],
    mailbox: 'crewing@vindholm.example',
    others: [
      ['Iwona Kubryk', 'iwona.kubryk@freepost.example'],
      ['Piotr Rufa', 'piotr.rufa@quickpost.example'],
    ],
    draft: {
      from: { name: 'Dagna Zatoczna', address: 'dagna.zatoczna@quickpost.example' },
      subject: 'Podanie o pracę: kucharka na promie',
      proof: 'none',
      clockOff: 4400,
      text: 'Dzień dobry,\n\nproszę o przyjęcie mojego podania o pracę w kuchni na promie. Mam świadectwo zdrowia i pięć lat praktyki. Dokumenty w załączniku, hasło podam przez telefon.\n\nZ poważaniem\nDagna Zatoczna',
      attachments: [{ name: 'dokumenty.zip', type: 'application/zip', content: lockedArchive() }],
    },
  },
  {
    cause: 'Weather bulletins sent through a mailing service',
    times: 14,
    departments: ['Bridge'],
    mailbox: 'bridge-team@vindholm.example',
    draft: {
      from: { name: 'Havbris Weather Service', address: 'bulletins@send.postkogge.example' },
      envelopeFrom: 'b-{n}{n}@send.postkogge.example',
      subject: 'Gale bulletin, outer skerries, {day} night',
      proof: 'none',
      headers: {
        'List-Id': 'Gale bulletins <gale-bulletins.havbris.example>',
        'List-Unsubscribe': '<https://send.postkogge.example/off/{code}>',
        Precedence: 'bulk',
      },
      ...withLink(
        'Gale warning for the outer skerries: south-westerly {n} knots from {time}. Sea 4 metres. Act now: secure loose gear on deck.',
        'www.havbris.example/chart',
        'https://click.postkogge.example/{code}',
      ),
    },
  },
  {
    cause: 'Mail forwarded by a harbour, so that its checks fail',
    times: 9,
    departments: ['Harbour relations', 'Bridge'],
    others: [
      ['Havnekontoret Skarvøy', 'kontor@skarvoy-havn.example'],
      ['Hafenmeister Norderwatt', 'meister@norderwatt-hafen.example'],
      ['Vakt Lauvås', 'vakt@lauvas-havn.example'],
    ],
    draft: {
      from: { name: 'Berit Kaisen', address: 'berit.kaisen@terneholm-havn.example' },
      envelopeFrom: 'forward@skjaergard-it.example',
      subject: 'VS: Endret kaiplass {n}, haster',
      proof: 'fail',
      clockOff: 3900,
      text: 'Hei {name},\n\nkaiplass {n} er stengt fra {time}. Dere må bruke kai {n} fra {day}. Haster: bekreft i dag, ellers mister dere plassen.',
    },
  },
  {
    cause: 'A locked archive from the auditors',
    times: 7,
    departments: ['Finance'],
    others: [
      ['Lønnskontoret Fjordtall', 'lonn@fjordtall.example'],
      ['Pensionskasse Anker', 'versand@pensionskasse-anker.example'],
    ],
    draft: {
      from: { name: 'Priscilla Ledgerly', address: 'p.ledgerly@post.tidemark-audit.example' },
      subject: 'Payroll sample for the audit, password by phone',
      proof: 'none',
      text: 'Dear {name},\n\nattached is the payroll sample of the quarter as a locked archive. I call you about the password. Please confirm the account numbers by {day}.',
      attachments: [{ name: 'sample.zip', type: 'application/zip', content: lockedArchive() }],
    },
  },
  {
    cause: 'A price list with macros',
    times: 7,
    departments: ['Workshop'],
    mailbox: 'workshop@vindholm.example',
    others: [
      ['Pumpen Tideland', 'preise@pumpen-tideland.example'],
      ['Uszczelki Bałtyk', 'cennik@uszczelki-baltyk.example'],
    ],
    draft: {
      from: { name: 'Vertrieb Kranich', address: 'preise@kranich-bedarf.example' },
      subject: 'Preisliste {week}: Dichtungen und Pumpen',
      proof: 'none',
      text: 'Guten Tag,\n\nanbei unsere neue Preisliste. Bitte aktivieren Sie die Inhalte, dann rechnet sie den Rabatt für Ihre Mengen aus. Gültig bis Monatsende.',
      attachments: [
        {
          name: 'Preisliste.xlsm',
          type: 'application/vnd.ms-excel.sheet.macroEnabled.12',
          content: plainArchive(),
        },
      ],
    },
  },
  {
    cause: 'A clinic’s booking tool answers from elsewhere',
    times: 7,
    departments: ['Crewing'],
    others: [
      ['Tannlege Brygga', 'time@tannlege-brygga.example'],
      ['Bedriftshelsen Fjord', 'time@bedriftshelsen-fjord.example'],
    ],
    draft: {
      from: { name: 'Klinikk Havnes', address: 'time@klinikk-havnes.example' },
      replyTo: 'svar@timebok.example',
      subject: 'Bekreft timen {day} {time}',
      proof: 'fail',
      ...withLink(
        'Hei,\n\nbekreft timen til helseattest {day} klokken {time}. Timen slettes hvis den ikke bekreftes innen 24 timer.',
        'Bekreft timen',
        'https://timebok.example/{code}',
      ),
    },
  },
  {
    cause: 'A ship’s computer with a wrong clock',
    times: 7,
    departments: ['Engine'],
    mailbox: 'engine-team@vindholm.example',
    draft: {
      from: { name: 'MV Terne engine room', address: 'engine@terne-ship.example' },
      subject: 'Alarm list {day}',
      proof: 'none',
      clockOff: -60 * 24 * 90,
      messageId: null,
      text: 'Automatic alarm list. Fuel pump 2 pressure low at {time}, acknowledged. Stern gland temperature normal.',
    },
  },
  {
    cause: 'A bookshop whose domain has its own letters',
    times: 4,
    departments: ['Ticket office'],
    draft: {
      from: { name: 'Bücher an der Mole', address: 'laden@xn--bcher-molo-eeb.example' },
      subject: 'Ihre Bestellung: {n} Seekarten für den Bordladen',
      proof: 'none',
      ...withLink(
        'Guten Tag {name},\n\nIhre {n} Seekarten für den Bordladen liegen bereit. Rechnung und Abholschein finden Sie hier.',
        'Abholschein',
        'https://xn--bcher-molo-eeb.example/schein/{code}',
      ),
    },
  },
  {
    cause: 'Urgent wording of an authority',
    times: 7,
    departments: ['Harbour relations'],
    mailbox: 'harbour@vindholm.example',
    others: [
      ['Lotsamt Nordersiel', 'gebuehren@lotsamt-nordersiel.example'],
      ['Urząd Morski Wydma', 'oplaty@urzad-wydma.example'],
    ],
    draft: {
      from: { name: 'Skerry Coast Authority', address: 'permits@skerry-coast.example' },
      subject: 'Final notice: permit {code} expires, act within 48 hours',
      proof: 'none',
      ...withLink(
        'Dear Sir or Madam,\n\nyour mooring permit {code} expires. Pay the fee within 48 hours or the permit will be suspended. Sign in to confirm.',
        'Pay the fee',
        'https://pay.coastfees.example/{code}',
      ),
    },
  },
  {
    cause: 'A notice to all masters at once',
    times: 4,
    departments: ['Bridge'],
    recipients: 14,
    draft: {
      from: { name: 'Pilot Exam Office', address: 'kontor@losprove.example' },
      subject: 'New exam dates for all masters',
      proof: 'none',
      messageId: null,
      ...withLink(
        'Dear masters,\n\nthe pilot exams move to week {week}. Choose your date before {day}; places are limited.',
        'Choose a date',
        'http://192.0.2.31/exam',
      ),
    },
  },
  {
    cause: 'The sender’s name server did not answer',
    times: 7,
    departments: ['Freight'],
    mailbox: 'freight@vindholm.example',
    draft: {
      from: { name: 'Operations Skerry Freight', address: 'night@skerry-freight.example' },
      subject: '{n} trailers tonight, urgent',
      proof: 'temperror',
      clockOff: 3500,
      ...withLink(
        'Hi,\n\nurgent: please book {n} trailers on the {time} sailing tonight. The list is here, confirm now.',
        'Trailer list',
        'https://files.dropshelf.example/t/{code}',
      ),
    },
  },
  {
    cause: 'A camera that sends its address',
    times: 7,
    departments: ['Harbour relations', 'IT'],
    others: [
      ['Gangway sensor', 'sensor@gangway-sensor.example'],
      ['Tank gauge Skarv', 'gauge@tankgauge.example'],
    ],
    draft: {
      from: { name: 'Quay camera 3', address: 'camera@kaikamera.example' },
      subject: 'Movement at ramp {n}, {time}',
      proof: 'none',
      messageId: null,
      ...withLink(
        'Movement seen at ramp {n}. Click to see the picture.',
        'See the picture',
        'http://198.51.100.61/cam',
      ),
    },
  },
  {
    cause: 'A passenger’s lost property, from a free mail address',
    times: 14,
    departments: ['Ticket office'],
    mailbox: 'tickets@vindholm.example',
    others: [
      ['Hermine Wellenkamp', 'h.wellenkamp@freepost.example'],
      ['Gustaw Falochron', 'gustaw.falochron@quickpost.example'],
      ['Sunniva Odden', 'sunniva.odden@freepost.example'],
      ['Basil Groyne', 'basil.groyne@quickpost.example'],
      ['Ottilie Prielmann', 'ottilie.prielmann@freepost.example'],
    ],
    draft: {
      from: { name: 'Wilma Strandgut', address: 'wilma.strandgut@quickpost.example' },
      subject: 'verloren: rote Jacke, bitte dringend',
      proof: 'none',
      clockOff: 4300,
      ...withLink(
        'Hallo,\n\nich habe am {day} auf der Fähre um {time} eine rote Jacke verloren, darin mein Pass. Bilder hier. Bitte helfen Sie mir.',
        'Bilder',
        'https://box.filequay.example/{code}',
      ),
    },
  },
  {
    cause: 'Hidden preview text in a hotel’s booking',
    times: 7,
    departments: ['Group bookings', 'Crewing'],
    others: [
      ['Pension Leuchtfeuer', 'buchung@pension-leuchtfeuer.example'],
      ['Gjestgiveriet Naustet', 'booking@naustet-gjestgiveri.example'],
    ],
    draft: {
      from: { name: 'Hotel Fyrlykta', address: 'booking@fyrlykta-hotell.example' },
      subject: 'Your booking {code} is confirmed',
      proof: 'fail',
      text: 'Your booking is confirmed.',
      html: '<html><body><div style="display:none">Your booking is confirmed. Free cancellation until the day before. We look forward to your stay at the old lighthouse.</div><p>Dear {name},</p><p>your booking {code} for {n} crew members is confirmed. Free cancellation until {day}.</p><p><a href="https://stay.reisefolge.example/{code}">Manage booking</a></p></body></html>',
    },
  },
  {
    cause: 'A colleague writes from a private address',
    times: 7,
    departments: ['Ticket office', 'Freight'],
    others: [
      ['Tore Vik', 'tore.vik.hjemme@quickpost.example'],
      ['Sigrid Lund', 's.lund.privat@freepost.example'],
    ],
    draft: {
      from: { name: 'Kari Moen', address: 'kari.moen.privat@freepost.example' },
      subject: 'Syk i dag, vaktliste vedlagt',
      proof: 'none',
      text: 'Hei {name},\n\njeg er syk i dag og kommer ikke inn på jobbposten. Kan du ta vakten min klokken {time}? Vaktlisten er den samme som i uke {week}.\n\nKari',
    },
  },
  {
    cause: 'A dunning letter that is right',
    times: 7,
    departments: ['Finance'],
    mailbox: 'invoices@vindholm.example',
    others: [
      ['Ostrea Fish Market regnskap', 'regnskap@ostrea-fisk.example'],
      ['Kranich Schiffsbedarf Buchhaltung', 'mahnung@kranich-buchhaltung.example'],
    ],
    draft: {
      from: { name: 'Bałtyk Catering księgowość', address: 'faktury@baltyk-catering.example' },
      subject: 'Ponaglenie: faktura {code} nieopłacona',
      proof: 'none',
      ...withLink(
        'Szanowni Państwo,\n\nfaktura {code} nie została opłacona. Prosimy zapłacić w ciągu 48 godzin, inaczej wstrzymamy dostawy.',
        'Faktura',
        'https://faktury.ksiegarz.example/{code}',
      ),
    },
  },
  {
    cause: 'Our ticket contractor sends in our name without proof',
    times: 4,
    departments: ['Ticket office'],
    mailbox: 'tickets@vindholm.example',
    draft: {
      from: { name: 'Vindholm ticket machines', address: 'machines@vindholm.example' },
      envelopeFrom: 'noreply@kortautomat.example',
      subject: 'Machine {n} at Terneholmen out of paper',
      proof: 'fail',
      text: 'Ticket machine {n} at Terneholmen reports: out of paper since {time}.',
    },
  },
  {
    cause: 'A trade fair’s invitation',
    times: 7,
    departments: ['Harbour relations', 'Timetable'],
    others: [
      ['Harbour Week', 'tickets@harbourweek.example'],
      ['Messe Küstenverkehr', 'messe@kuestenverkehr-messe.example'],
    ],
    draft: {
      from: { name: 'Ferry Days', address: 'invite@ferrydays.example' },
      envelopeFrom: 'b{n}@send.postkogge.example',
      subject: 'Last chance: your free ticket for the Ferry Days',
      proof: 'aligned',
      headers: { 'List-Unsubscribe': '<https://send.postkogge.example/off/{code}>', Precedence: 'bulk' },
      ...withLink(
        'Dear {name},\n\nyour free ticket expires on {day}. Register now, places are limited. Meet ship owners and harbours from the whole coast.',
        'Register now',
        'https://click.postkogge.example/{code}',
      ),
    },
  },
  {
    cause: 'Course mail with many links',
    times: 7,
    departments: ['Crewing', 'IT'],
    others: [
      ['Brannvernskolen', 'kurs@brannvernskolen.example'],
      ['Erste Hilfe Küste', 'kurse@erste-hilfe-kueste.example'],
    ],
    draft: {
      from: { name: 'Safety at Sea Courses', address: 'courses@seasafe-courses.example' },
      subject: 'Courses in week {week}: {n} places left',
      proof: 'none',
      headers: { Precedence: 'bulk' },
      text: 'Courses in week {week}.',
      html: `<html><body><p>Dear {name},</p><p>{n} places are left in these courses:</p>${Array.from({ length: 18 }, (_, i) => `<p><a href="https://book.kurslenke.example/{code}/${i}">Course ${i + 1}: fire, first aid and lifeboats</a></p>`).join('')}</body></html>`,
    },
  },
]

const places =
  'Lauvik Nordsiel Wydmowo Eidshamn Skarvnes Grönhaven Mewino Tarnvik Fuglesund Oststrand Brackwick Rosehaven Klifowo Holmøya'.split(
    ' ',
  )

/** Others of the same trade write, too; what nobody has heard from before is what is held. Persons have no branches. */
function newcomer(
  { name, address }: Draft['from'],
  turn: number,
  chance: Chance,
): readonly [name: string, address: string] | undefined {
  const [local = '', domain = ''] = address.split('@')
  if (/^(?:freepost|quickpost)\.example$/.test(domain)) return freshPerson(chance)
  // A machine, and we ourselves, stay who they are.
  if (/^(?:vindholm|terne-ship|kaikamera|send\.postkogge)\.example$/.test(domain)) return undefined
  const place = places[turn % places.length] ?? ''
  const label = place.toLowerCase().replace(/[øö]/g, 'o')
  return [
    `${name} ${place}`,
    `${local}@${
      domain
        .replace(/\.example$/, '')
        .split('.')
        .at(-1) ?? ''
    }-${label}.example`,
  ]
}

/** One letter of a cause; the blanks are filled anew each time. */
export function heldDraft(
  { draft, others = [] }: HeldCause,
  to: readonly Colleague[],
  chance: Chance,
  turn = 0,
): Draft {
  const name = to[0]?.name ?? ''
  const other =
    turn <= others.length ? others[turn - 1] : newcomer(draft.from, turn - others.length - 1, chance)
  const from = other ? { name: other[0], address: other[1] } : draft.from
  // One code for the whole letter: text, HTML and headers speak of the same thing.
  const once = new Map<string, string>()
  const put = (text: string) =>
    text.replace(/\{\w+\}/g, blank => {
      const known = once.get(blank)
      if (known !== undefined) return known
      const value = fill(blank, chance, { name })
      once.set(blank, value)
      return value
    })
  return {
    ...draft,
    from,
    to: to.map(({ name: shown, address }) => ({ name: shown, address })),
    subject: put(draft.subject),
    text: put(draft.text).replaceAll(draft.from.name, from.name),
    html: draft.html === undefined ? undefined : put(draft.html),
    envelopeFrom: draft.envelopeFrom === undefined ? undefined : put(draft.envelopeFrom),
    headers:
      draft.headers &&
      Object.fromEntries(Object.entries(draft.headers).map(([key, value]) => [key, put(value)])),
  }
}
