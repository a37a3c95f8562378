import { domain, type Colleague, type Department } from './organisation.ts'
import type { Draft, Proof } from './letter.ts'
import type { Chance } from './random.ts'

/** Somebody outside who writes to us and is welcome. All invented. */
export interface Correspondent {
  readonly organisation: string
  readonly domain: string
  readonly people: readonly (readonly [string, string])[]
  readonly language: 'en' | 'nb' | 'de' | 'pl'
  readonly departments: readonly Department[]
  readonly topics: readonly (readonly [string, string])[]
  readonly proof?: Proof
}

const c = (
  organisation: string,
  host: string,
  language: Correspondent['language'],
  departments: readonly Department[],
  people: Correspondent['people'],
  topics: Correspondent['topics'],
  proof: Proof = 'pass',
): Correspondent => ({
  organisation,
  domain: `${host}.example`,
  language,
  departments,
  people,
  topics,
  proof,
})

export const correspondents: readonly Correspondent[] = [
  c(
    'Terneholm Harbour',
    'terneholm-havn',
    'nb',
    ['Harbour relations', 'Bridge'],
    [
      ['Berit Kaisen', 'berit.kaisen'],
      ['Havnevakt', 'vakt'],
    ],
    [
      [
        'Kaiplass {n} uke {week}',
        'Hei {name},\n\nkaiplass {n} er ledig for dere fra {time} til {time2} på {day}. Si fra hvis ankomsten blir senere enn planlagt.\n\nStrømtilkobling på land er i orden igjen etter reparasjonen.',
      ],
      [
        'Arbeid på ferjeleiet {day}',
        'Hei,\n\nvi arbeider på ferjeleiet {day} mellom {time} og {time2}. Landgangen er stengt i denne tiden; bruk kai {n}. Beklager ulempen.',
      ],
    ],
  ),
  c(
    'Nordlys Marine Survey',
    'nordlys-survey',
    'en',
    ['Engine', 'Bridge', 'Workshop'],
    [
      ['Hedda Klasse', 'hedda.klasse'],
      ['Survey desk', 'desk'],
    ],
    [
      [
        'Class certificate MV {ship}: {part}',
        'Dear {name},\n\nthe survey of MV {ship} on {day} is finished. We found the {part} within limits; one remark on the fire dampers stays open until the next docking.\n\nThe report follows in the usual form. Please tell us which date in week {week} suits for the annual survey.',
      ],
      [
        'Docking MV {ship}, list of items',
        'Dear {name},\n\nattached to our portal is the list of items for the docking of MV {ship}. Item {n} concerns the {part}. Could the workshop confirm the spare parts by {day}?',
      ],
    ],
  ),
  c(
    'Halyard Print Works',
    'halyard-print',
    'en',
    ['Timetable', 'Ticket office'],
    [
      ['Proof desk', 'proofs'],
      ['Nell Carding', 'nell.carding'],
    ],
    [
      [
        'Timetable proof {n}',
        'Dear {name},\n\nproof {n} of the timetable is ready for your approval. We moved the {time} departure to the second column as you asked.\n\nWe print on {day} if we hear from you before noon.',
      ],
      [
        'Delivery of timetable leaflets week {week}',
        'Dear {name},\n\n{n}00 leaflets leave our works on {day} and reach the ticket office the day after. The invoice goes to your finance department.',
      ],
    ],
  ),
  c(
    'Fjellby School',
    'fjellby-skole',
    'nb',
    ['Group bookings'],
    [
      ['Fjellby skole kontor', 'kontor'],
      ['Rektor Signe Fjellby', 'rektor'],
    ],
    [
      [
        '{n} elever på {time}-avgangen',
        'Hei,\n\nvi kommer med {n} elever og fire lærere på avgangen {time} {day}. Kan dere sende faktura til skolen? To av elevene bruker rullestol.\n\nVennlig hilsen skolekontoret',
      ],
      [
        'Klassetur uke {week}',
        'Hei {name},\n\nklassen vil gjerne besøke broen under overfarten {day}. Er det mulig? Vi er {n} barn.',
      ],
    ],
  ),
  c(
    'Havbris Weather Service',
    'havbris',
    'en',
    ['Bridge'],
    [['Forecast room', 'forecast']],
    [
      [
        'Route forecast {ship}, {day}',
        'Forecast for the crossing of MV {ship}:\n\nwind south-west {n} knots, gusts in the outer skerries, sea 2 to 3 metres, visibility good except in showers. Next forecast {time}.',
      ],
    ],
  ),
  c(
    'Kranich Schiffsbedarf',
    'kranich-bedarf',
    'de',
    ['Workshop', 'Engine', 'Catering'],
    [
      ['Vertrieb Kranich', 'vertrieb'],
      ['Heike Taumann', 'heike.taumann'],
    ],
    [
      [
        'Angebot {n}: {part} für MS {ship}',
        'Guten Tag {name},\n\ngern bieten wir Ihnen die angefragten Teile an: {part}, Lieferzeit eine Woche ab Bestellung. Der Preis gilt bis Ende des Monats.\n\nBitte nennen Sie uns die Lieferadresse für die Werft.',
      ],
      [
        'Lieferschein {n}',
        'Guten Tag,\n\nIhre Bestellung geht am {day} mit der Spedition ab. Sie erhalten {n} Packstücke. Bitte prüfen Sie die Ware bei Ankunft.',
      ],
    ],
  ),
  c(
    'Bałtyk Catering',
    'baltyk-catering',
    'pl',
    ['Catering'],
    [
      ['Dział zamówień', 'zamowienia'],
      ['Ewa Talerz', 'ewa.talerz'],
    ],
    [
      [
        'Zamówienie {n} na rejs {day}',
        'Dzień dobry,\n\npotwierdzamy zamówienie numer {n}. Dostawa do portu {day} o godzinie {time}. Prosimy o podanie liczby porcji wegetariańskich.\n\nPozdrawiamy',
      ],
      [
        'Nowe menu na tydzień {week}',
        'Dzień dobry {name},\n\nprzesyłamy propozycję menu dla kuchni na tydzień {week}: zupa rybna, pierogi, szarlotka. Prosimy o odpowiedź do {day}.',
      ],
    ],
  ),
  c(
    'Fjord Fuel',
    'fjordfuel',
    'en',
    ['Engine', 'Finance'],
    [
      ['Bunkering', 'bunker'],
      ['Oskar Dahlen', 'oskar.dahlen'],
    ],
    [
      [
        'Bunkering MV {ship} {day} {time}',
        'Dear {name},\n\nthe bunker barge comes alongside MV {ship} on {day} at {time}. {n} tonnes as ordered. Please have the chief engineer sign the checklist before the hose is connected.',
      ],
      [
        'Bunker delivery note {n}',
        'Dear {name},\n\nthe delivery note for {n} tonnes is signed by both sides. The sulphur sample is kept for a year. Our invoice follows at the end of the month.',
      ],
    ],
  ),
  c(
    'Seehafen Nordersiel',
    'hafen-nordersiel',
    'de',
    ['Harbour relations', 'Freight'],
    [
      ['Hafenbüro', 'buero'],
      ['Thies Molenkamp', 'molenkamp'],
    ],
    [
      [
        'Liegeplatz {n}, Ankunft {day}',
        'Moin {name},\n\nLiegeplatz {n} ist ab {time} frei. Der Lotse wartet an der üblichen Stelle. Wegen der Baustelle am Terminal bitte nur eine Rampe benutzen.',
      ],
      [
        'Gefahrgutmeldung Fähre {ship}',
        'Guten Tag,\n\nfür die Überfahrt am {day} fehlen uns noch die Papiere zu {n} Einheiten Gefahrgut. Bitte bis {time} nachreichen.',
      ],
    ],
  ),
  c(
    'Skerry Freight Forwarders',
    'skerry-freight',
    'en',
    ['Freight'],
    [
      ['Operations', 'ops'],
      ['Ida Lastmann', 'ida.lastmann'],
    ],
    [
      [
        '{n} trailers for {day} {time}',
        'Hi {name},\n\nplease book {n} trailers on the {time} sailing, two of them chilled. Drivers stay with the cars. References follow by noon.',
      ],
      [
        'Manifest correction, sailing {time}',
        'Hi,\n\non the manifest of {day} unit {n} is 12.4 m long, not 13.6. Could you correct the waybill before the ship leaves?',
      ],
    ],
  ),
  c(
    'Maren Holm, pilot exam office',
    'losprove',
    'nb',
    ['Crewing', 'Bridge'],
    [['Maren Holm', 'maren.holm']],
    [
      [
        'Losprøve {day}',
        'Hei {name},\n\nkandidaten din er satt opp til prøven {day} klokken {time}. Ta med fartstidsbok og helseattest.',
      ],
    ],
  ),
  c(
    'Seafarers Clinic Havnes',
    'klinikk-havnes',
    'nb',
    ['Crewing'],
    [['Timebestilling', 'time']],
    [
      [
        'Helseattest, time {day} {time}',
        'Hei,\n\nbesetningsmedlemmet har time til helseattest {day} klokken {time}. Gyldig legitimasjon må tas med.',
      ],
    ],
  ),
  c(
    'Tidemark Auditors',
    'tidemark-audit',
    'en',
    ['Finance'],
    [['Priscilla Ledgerly', 'p.ledgerly']],
    [
      [
        'Question on voucher {n}',
        'Dear {name},\n\nfor voucher {n} we miss the second signature. Could you send a copy by {day}? Otherwise the quarter looks fine.',
      ],
      [
        'Audit meeting {day}',
        'Dear {name},\n\nwe come on {day} at {time} with two people and need the room for the whole day. Agenda: ticket revenue, fuel, payroll.',
      ],
    ],
  ),
  c(
    'Brygge Bank',
    'bryggebank',
    'nb',
    ['Finance'],
    [['Bedriftsservice', 'bedrift']],
    [
      [
        'Kontoutskrift uke {week}',
        'Hei,\n\nkontoutskriften for uke {week} ligger klar i nettbanken. Logg inn som vanlig; vi sender aldri lenker til innlogging.',
      ],
    ],
  ),
  c(
    'Morska Rekrutacja',
    'morska-rekrutacja',
    'pl',
    ['Crewing'],
    [
      ['Rekrutacja', 'biuro'],
      ['Adam Sternik', 'adam.sternik'],
    ],
    [
      [
        'Kandydat na stanowisko drugiego mechanika',
        'Dzień dobry {name},\n\nmamy kandydata na stanowisko drugiego mechanika, dyplom ważny, angielski dobry. Może zacząć od {day}. Prosimy o termin rozmowy.',
      ],
      [
        'Dokumenty załogi na zmianę {day}',
        'Dzień dobry,\n\nprzesyłamy listę dokumentów dla {n} osób na zmianę {day}. Brakuje jednego świadectwa zdrowia.',
      ],
    ],
  ),
  c(
    'Ostrea Fish Market',
    'ostrea-fisk',
    'nb',
    ['Catering'],
    [['Ordre', 'ordre']],
    [
      [
        'Fisk til byssa {day}',
        'Hei {name},\n\nvi leverer {n} kg torsk og sei {day} klokken {time}. Rekene kommer først fredag.',
      ],
    ],
    'aligned',
  ),
  c(
    'Drydock Skarvøy',
    'skarvoy-verft',
    'nb',
    ['Workshop', 'Engine'],
    [['Verksmester', 'verksmester']],
    [
      [
        'Dokking MF {ship}: {part}',
        'Hei {name},\n\nvi har åpnet {part} på MF {ship}. Slitasjen er større enn ventet. Skal vi bytte nå, eller vente til våren? Vi trenger svar før {day}.',
      ],
    ],
  ),
  c(
    'Orchard House Travel',
    'orchardhouse-travel',
    'en',
    ['Group bookings', 'Ticket office'],
    [
      ['Reservations', 'res'],
      ['Poppy Orchardson', 'poppy'],
    ],
    [
      [
        'Group of {n}, {day}',
        'Dear {name},\n\ncould you hold {n} seats on the {time} crossing on {day}? Lunch on board for everybody, three without gluten. The coach is 12 m long.',
      ],
      [
        'Names for the group of {day}',
        'Dear {name},\n\nhere are the names for the group of {n}. One wheelchair. They arrive at the terminal at {time}.',
      ],
    ],
    'aligned',
  ),
  c(
    'Wanderverein Deichgraf',
    'wanderverein-deichgraf',
    'de',
    ['Group bookings'],
    [['Vorstand', 'vorstand']],
    [
      [
        'Überfahrt für {n} Wanderer',
        'Guten Tag,\n\nwir möchten am {day} mit {n} Personen übersetzen und am Abend zurück. Gibt es einen Gruppenpreis? Zwei Hunde kommen mit.',
      ],
    ],
    'none',
  ),
]

/** Bulk mail people want: bulletins, trade letters, notices. */
export interface Bulletin {
  readonly name: string
  readonly address: string
  readonly listId: string
  readonly departments: readonly Department[]
  readonly subject: string
  readonly text: string
  readonly timesAWeek: number
}

export const bulletins: readonly Bulletin[] = [
  {
    name: 'Havbris Weather Service',
    address: 'bulletins@lists.havbris.example',
    listId: 'gale-bulletins.havbris.example',
    departments: ['Bridge', 'Timetable'],
    timesAWeek: 10,
    subject: 'Gale bulletin, outer skerries, {day}',
    text: 'Gale warning for the outer skerries: south-westerly {n} knots from {time}, easing after {time2}. Sea 4 metres. Small craft should stay in harbour. Next bulletin at {time2}.',
  },
  {
    name: 'Coastal Notices',
    address: 'notices@kystmelding.example',
    listId: 'etterretninger.kystmelding.example',
    departments: ['Bridge', 'Harbour relations'],
    timesAWeek: 3,
    subject: 'Notice to mariners {n}',
    text: 'Light at Terneholm north: unlit until further notice. Buoy {n} moved 40 metres to the east. Dredging in the fairway from {time} to {time2}, keep a good lookout.',
  },
  {
    name: 'The Ferry Letter',
    address: 'letter@ferryletter.example',
    listId: 'weekly.ferryletter.example',
    departments: ['Timetable', 'Harbour relations', 'Finance'],
    timesAWeek: 1,
    subject: 'The Ferry Letter, week {week}',
    text: 'This week: electric crossings in the fjords, new rules for ramp surveys, and a harbour that built its own wind turbine. Read on at https://www.ferryletter.example/week/{week}. You get this letter because you asked for it.',
  },
  {
    name: 'Galley Supplies',
    address: 'offers@galleysupplies.example',
    listId: 'offers.galleysupplies.example',
    departments: ['Catering'],
    timesAWeek: 2,
    subject: 'This week in the galley: {n} new articles',
    text: 'Fresh prices for flour, coffee and potatoes. Orders before {day} {time} are delivered the same week. See https://shop.galleysupplies.example/week.',
  },
  {
    name: 'Crew Portal',
    address: 'noreply@crewportal.example',
    listId: 'certificates.crewportal.example',
    departments: ['Crewing'],
    timesAWeek: 4,
    subject: '{n} certificates expire next month',
    text: 'The certificates of {n} crew members expire next month. Sign in to the portal as usual to see the list.',
  },
  {
    name: 'Pump & Valve Monthly',
    address: 'editor@pumpvalve.example',
    listId: 'monthly.pumpvalve.example',
    departments: ['Engine', 'Workshop'],
    timesAWeek: 1,
    subject: 'Pump & Valve: seals that last',
    text: 'In this issue: mechanical seals in salt water, how to read a pump curve, and readers’ questions about bearings. More at https://www.pumpvalve.example/issue/{n}.',
  },
]

export const ships = ['Terne', 'Skarv', 'Alke', 'Lomvi', 'Havella', 'Tjeld']
const parts = [
  'ramp hinge',
  'bow thruster',
  'fuel pump',
  'stern gland',
  'lifeboat davit',
  'gearbox seal',
  'fire damper',
]
const daysOf: Readonly<Record<string, readonly string[]>> = {
  en: ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday'],
  nb: ['mandag', 'tirsdag', 'onsdag', 'torsdag', 'fredag'],
  de: ['Montag', 'Dienstag', 'Mittwoch', 'Donnerstag', 'Freitag'],
  pl: ['poniedziałek', 'wtorek', 'środę', 'czwartek', 'piątek'],
}

/** Fills the blanks of a template; unknown ones stay visible, which the demo's test would catch. */
export function fill(
  text: string,
  chance: Chance,
  { name = '', language = 'en' }: { name?: string; language?: string } = {},
): string {
  const clock = () =>
    `${String(chance.between(5, 21)).padStart(2, '0')}:${chance.pick(['00', '10', '15', '30', '40', '45'])}`
  const values: Readonly<Record<string, () => string>> = {
    n: () => String(chance.between(3, 96)),
    week: () => String(chance.between(44, 52)),
    day: () => chance.pick(daysOf[language] ?? []),
    time: clock,
    time2: clock,
    ship: () => chance.pick(ships),
    part: () => chance.pick(parts),
    name: () => name.split(' ')[0] ?? '',
    sum: () => `${chance.between(120, 9800)},${chance.between(10, 99)}`,
    code: () => `${chance.pick([...'ABCDEFGHKMNPRSTX'])}${chance.between(10_000, 99_999)}`,
  }
  return text.replace(/\{(\w+)\}/g, (whole, key: string) => values[key]?.() ?? whole)
}

const farewell = { en: 'Kind regards', nb: 'Vennlig hilsen', de: 'Mit freundlichen Grüßen', pl: 'Pozdrawiam' }

/** One ordinary letter of a correspondent to a colleague. */
export function wantedDraft(who: Correspondent, to: Colleague, chance: Chance): Draft {
  const [name, local] = chance.pick(who.people)
  const [subject, text] = chance.pick(who.topics)
  const options = { name: to.name, language: who.language }
  const body = `${fill(text, chance, options)}\n\n${farewell[who.language]}\n${name}\n${who.organisation}`
  return {
    from: {
      name: name.includes(' ') || local === 'desk' ? `${name}` : `${name} ${who.organisation}`,
      address: `${local}@${who.domain}`,
    },
    to: [{ name: to.name, address: to.address }],
    subject: fill(subject, chance, options),
    text: body,
    proof: who.proof ?? 'pass',
  }
}

/** What a colleague writes to a correspondent; our own host signs it. */
export function outboundDraft(from: Colleague, who: Correspondent, chance: Chance): Draft {
  const [name, local] = chance.pick(who.people)
  const lines = {
    en: [
      'Question about {ship}, {day}',
      'Hello,\n\ncould you confirm {time} for MV {ship}? We need it for the plan of week {week}.',
    ],
    nb: [
      'Spørsmål om MF {ship}, {day}',
      'Hei,\n\nkan dere bekrefte {time} for MF {ship}? Vi trenger det til planen for uke {week}.',
    ],
    de: [
      'Frage zur {ship}, {day}',
      'Guten Tag,\n\nkönnen Sie {time} für die {ship} bestätigen? Wir brauchen es für den Plan der Woche {week}.',
    ],
    pl: [
      'Pytanie o prom {ship}, {day}',
      'Dzień dobry,\n\nproszę o potwierdzenie godziny {time} dla promu {ship}. Potrzebujemy tego do planu na tydzień {week}.',
    ],
  }[who.language]
  const options = { language: who.language }
  return {
    from: { name: from.name, address: from.address },
    to: [{ name, address: `${local}@${who.domain}` }],
    subject: fill(lines[0] ?? '', chance, options),
    text: `${fill(lines[1] ?? '', chance, options)}\n\n${from.name}\nVindholm Ferries`,
    proof: 'pass',
  }
}

export function bulletinDraft(bulletin: Bulletin, to: readonly Colleague[], chance: Chance): Draft {
  const language = { language: 'en' }
  const text = fill(bulletin.text, chance, language)
  return {
    from: { name: bulletin.name, address: bulletin.address },
    to: to.map(({ name, address }) => ({ name, address })),
    envelopeFrom: `bounces@${bulletin.address.split('@')[1]}`,
    subject: fill(bulletin.subject, chance, language),
    text,
    proof: 'pass',
    headers: {
      'List-Id': `${bulletin.name} <${bulletin.listId}>`,
      'List-Unsubscribe': `<https://${bulletin.address.split('@')[1]}/off>`,
      Precedence: 'bulk',
    },
  }
}

export const ourDomain = domain
