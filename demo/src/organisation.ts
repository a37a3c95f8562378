import type { Chance } from './random.ts'

export interface Colleague {
  readonly name: string
  readonly address: string
  readonly aliases: readonly string[]
  readonly kind: 'person' | 'shared' | 'list'
  readonly department: string
  readonly language: string
  readonly timeZone: string
  readonly minders: readonly string[]
}

export const domain = 'vindholm.example'
export const secondDomain = 'vindholm-cargo.example'
export const trustedHost = 'mx1.vindholm.example'

export const departments = [
  'Bridge',
  'Engine',
  'Crewing',
  'Ticket office',
  'Group bookings',
  'Freight',
  'Catering',
  'Workshop',
  'Timetable',
  'Harbour relations',
  'Finance',
  'IT',
] as const
export type Department = (typeof departments)[number]

const firstNames: Readonly<Record<string, readonly string[]>> = {
  nb: 'Ingrid Aksel Kari Sigrid Tore Eirik Solveig Ragnhild Håkon Astrid Bjørn Gro Leif Marit Odd Randi Sindre Tuva Vegard Ylva Åse Øyvind Halvor Gunhild Stian Torunn Endre Frøydis Jostein Liv Magnus Nora Oddvar Pernille Runa Sverre Turid Ulrik Vilde Arne'.split(
    ' ',
  ),
  de: 'Anke Dirk Frauke Henning Jürgen Käthe Malte Swantje Uwe Wiebke'.split(' '),
  pl: 'Agnieszka Bartosz Dorota Grzegorz Halina Jakub Łukasz Małgorzata Paweł Zofia'.split(' '),
  en: 'Alice Colin Edith Graham Harriet Joan Martin Nigel Rosalind Trevor'.split(' '),
}
const lastNames: Readonly<Record<string, readonly string[]>> = {
  nb: 'Solvang Brandt Moen Lund Vik Haugstrand Nesvåg Terneholm Fjellro Skarvik Bjørnøy Kvalsund Holmstad Myrdalen Raudnes Sandviken Torsåker Ulvestad Vindal Østervåg Åsheim Krokvåg Lauvås Dyrnes Grindstad Hestvik Isfjell Kjerring Langnes Måløysund'.split(
    ' ',
  ),
  de: 'Brunsbrook Deichmeer Hafenkamp Kliffhorn Nordersiel Priewall Stöverling Wattrand'.split(' '),
  pl: 'Bursztynek Falowska Kotwicki Latarniak Morzycka Portowski Sztormik Wydmowska'.split(' '),
  en: 'Ashlock Brinecliff Coveley Dunmarsh Harbourne Keelwright Saltash Tidewell'.split(' '),
}

/** People the screens and the docs speak of. */
const known: readonly (readonly [string, Department, string])[] = [
  ['Ingrid Solvang', 'Timetable', 'en'],
  ['Aksel Brandt', 'Bridge', 'nb'],
  ['Kari Moen', 'Ticket office', 'nb'],
  ['Sigrid Lund', 'Freight', 'de'],
  ['Tore Vik', 'Workshop', 'en'],
]

const shared: readonly (readonly [string, string, 'shared' | 'list', Department, readonly string[]])[] = [
  ['Group Bookings', 'groups', 'shared', 'Group bookings', ['gruppen', 'skoler']],
  ['Ticket Office', 'tickets', 'shared', 'Ticket office', ['billett', 'info']],
  ['Crewing', 'crewing', 'shared', 'Crewing', ['jobs', 'jobb']],
  ['Freight Desk', 'freight', 'shared', 'Freight', ['gods', 'fracht']],
  ['Invoices', 'invoices', 'shared', 'Finance', ['faktura', 'rechnung']],
  ['Harbour Desk', 'harbour', 'shared', 'Harbour relations', ['havn']],
  ['Workshop Store', 'workshop', 'shared', 'Workshop', ['verksted']],
  ['Galley Orders', 'galley', 'shared', 'Catering', ['bysse']],
  ['Bridge Team', 'bridge-team', 'list', 'Bridge', []],
  ['Engine Team', 'engine-team', 'list', 'Engine', []],
  ['Timetable Group', 'timetable-group', 'list', 'Timetable', []],
  ['All Masters', 'masters', 'list', 'Bridge', []],
]

/** A name as it stands in an address: 'Åse Østervåg' is 'ase.ostervag'. */
export const plainName = (text: string): string =>
  text
    .toLowerCase()
    .replace(/ø/g, 'o')
    .replace(/å/g, 'a')
    .replace(/æ/g, 'ae')
    .replace(/ł/g, 'l')
    .replace(/ß/g, 'ss')
    .normalize('NFD')
    .replace(/[^a-z. -]/g, '')
    .replace(/ /g, '.')

/** 240 colleagues in 12 departments, and the mailboxes they share. */
export function makeColleagues(chance: Chance): readonly Colleague[] {
  const people: Colleague[] = known.map(([name, department, language]) => person(name, department, language))
  const taken = new Set(people.map(({ name }) => name))
  while (people.length < 240) {
    const origin = chance.happens(0.7) ? 'nb' : chance.pick(['de', 'pl', 'en'])
    const name = `${chance.pick(firstNames[origin] ?? [])} ${chance.pick(lastNames[origin] ?? [])}`
    if (taken.has(name)) continue
    taken.add(name)
    const department = departments[people.length % departments.length] as Department
    people.push(person(name, department, origin === 'nb' ? (chance.happens(0.6) ? 'nb' : 'en') : origin))
  }
  const teams = shared.map(([name, local, kind, department, aliases]): Colleague => ({
    name,
    address: `${local}@${domain}`,
    aliases: [
      ...aliases.map(alias => `${alias}@${domain}`),
      ...(department === 'Freight' ? [`${local}@${secondDomain}`] : []),
    ],
    kind,
    department,
    language: department === 'Freight' ? 'de' : 'en',
    timeZone: 'Europe/Oslo',
    minders: people
      .filter(p => p.department === department)
      .slice(0, 3)
      .map(p => p.address),
  }))
  return withoutSharedAliases([...people, ...teams])
}

/** An address belongs to one mailbox: the first colleague keeps an alias that two would have. */
function withoutSharedAliases(all: readonly Colleague[]): readonly Colleague[] {
  const taken = new Set(all.map(({ address }) => address))
  return all.map(colleague => ({
    ...colleague,
    aliases: colleague.aliases.filter(alias => !taken.has(alias) && taken.add(alias)),
  }))
}

function person(name: string, department: Department, language: string): Colleague {
  const local = plainName(name)
  const [first = '', last = ''] = local.split('.')
  return {
    name,
    address: `${local}@${domain}`,
    aliases: [
      `${first.slice(0, 1)}${last}@${domain}`,
      ...(department === 'Freight' ? [`${local}@${secondDomain}`] : []),
    ],
    kind: 'person',
    department,
    language,
    timeZone: language === 'de' ? 'Europe/Berlin' : language === 'pl' ? 'Europe/Warsaw' : 'Europe/Oslo',
    minders: [],
  }
}
