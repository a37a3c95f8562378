import type { Draft } from './letter.ts'
import { plainName, type Colleague, type Department } from './organisation.ts'
import type { Chance } from './random.ts'
import { fill } from './wanted.ts'

/** People who write once: passengers, applicants, new suppliers. Nothing is odd about them but being new. */
type Language = 'en' | 'nb' | 'de' | 'pl'

const first: Readonly<Record<Language, readonly string[]>> = {
  en: 'Amber Basil Cedric Dorothea Edwin Flora Gordon Hester Ivor Jemima'.split(' '),
  nb: 'Asbjørg Birger Dagny Edel Fredrik Gudrun Hallvard Inger Kåre Magnhild'.split(' '),
  de: 'Adelheid Bodo Cordula Detlef Elke Friedhelm Gesine Holger Ilse Jochen'.split(' '),
  pl: 'Alicja Bogdan Celina Damian Elwira Fryderyk Grażyna Henryk Irena Jerzy'.split(' '),
}
const last: Readonly<Record<Language, readonly string[]>> = {
  en: 'Marlwick Oakhollow Pennyfarrow Quillstone Rushmead Sandwell-Frith Thistledown Underbarrow Wetherby-Low'.split(
    ' ',
  ),
  nb: 'Bakkemo Dalsrudvik Eikenesvåg Furuholmen Granlistad Hegrenes Lyngvær Nordbakkhaug'.split(' '),
  de: 'Achternbusch-Deich Brunnenkant Dünenhardt Eichgrund Flutmüller Gezeitner Heidensand Inselmann-Ruh'.split(
    ' ',
  ),
  pl: 'Bursztynowicz Ciszewodny Dębolas Fokarska Głazowicz Jesionkowy Klifowski Latarnicki'.split(' '),
}
const trades =
  'ropeworks sailmaker boatyard bakery brewery florist carpentry insurance signs electrics tours museum quartet coaching'.split(
    ' ',
  )

const topics: Readonly<Record<Language, readonly (readonly [Department, string, string])[]>> = {
  en: [
    [
      'Ticket office',
      'Crossing on {day}',
      'Good morning,\n\nwe are a family of four with one car and would like to cross on {day} at {time}. Is there still room, and what does it cost with a roof box?',
    ],
    [
      'Group bookings',
      'Choir trip, {n} people',
      'Hello,\n\nour choir travels in week {week}. Could you tell us whether {n} of us may sing a song on deck, and whether there is a group price?',
    ],
    [
      'Workshop',
      'Offer for rope and canvas',
      'Dear Sir or Madam,\n\nwe make ropes and tarpaulins and have delivered to other ferries. May we send you our list? We are at the harbour on {day}.',
    ],
    [
      'Finance',
      'Invoice {code}',
      'Dear colleagues,\n\nour invoice {code} for the repair on {day} is attached to the delivery. Please tell me if the order number is missing.',
    ],
  ],
  nb: [
    [
      'Ticket office',
      'Glemt paraply på {time}-ferja',
      'Hei,\n\njeg glemte en blå paraply på ferja {day}. Er den kommet inn hos dere? Jeg kan hente den når som helst.',
    ],
    [
      'Crewing',
      'Spørsmål om lærlingplass',
      'Hei,\n\njeg går siste året på maritim linje og lurer på om dere tar inn lærlinger til høsten. Kan jeg sende papirene?',
    ],
    [
      'Harbour relations',
      'Støy fra kaia',
      'Hei,\n\nvi bor over kai {n} og hører varsellyden hver natt rundt {time}. Går det an å skru den ned etter midnatt?',
    ],
  ],
  de: [
    [
      'Ticket office',
      'Frage zur Überfahrt am {day}',
      'Guten Tag,\n\nwir reisen mit zwei Fahrrädern und einem Hund. Müssen wir für die Fähre um {time} vorher buchen?',
    ],
    [
      'Freight',
      'Transport einer Maschine',
      'Sehr geehrte Damen und Herren,\n\nwir möchten eine Drehbank von {n} Zentnern überführen. Haben Sie einen Stapler am Anleger?',
    ],
    [
      'Catering',
      'Brötchen für die Bordküche',
      'Guten Tag,\n\nunsere Bäckerei liegt neben dem Anleger. Wir könnten Ihnen jeden Morgen frische Brötchen liefern.',
    ],
  ],
  pl: [
    [
      'Ticket office',
      'Pytanie o bilet na {day}',
      'Dzień dobry,\n\nczy można zmienić rezerwację na {day} na późniejszy rejs, o {time}? Jedziemy kamperem.',
    ],
    [
      'Group bookings',
      'Wycieczka klasy, {n} osób',
      'Dzień dobry,\n\nplanujemy wycieczkę dla {n} uczniów. Czy mogą Państwo przysłać cennik dla grup?',
    ],
  ],
}

/** A person nobody has met: name, and an address at a free mail provider. */
export function freshPerson(chance: Chance): readonly [name: string, address: string] {
  const language = chance.pick(['en', 'nb', 'nb', 'de', 'pl'] as const)
  const name = `${chance.pick(first[language])} ${chance.pick(last[language])}`
  const host = chance.pick(['freepost.example', 'quickpost.example'])
  return [name, `${plainName(name)}${chance.between(1, 99)}@${host}`]
}

export function strangerDraft(colleagues: readonly Colleague[], chance: Chance): Draft {
  const language = chance.pick(['en', 'nb', 'nb', 'de', 'pl'] as const)
  const name = `${chance.pick(first[language])} ${chance.pick(last[language])}`
  const [department, subject, text] = chance.pick(topics[language])
  const team = colleagues.filter(c => c.department === department)
  const to = chance.pick(team.filter(c => c.kind === 'shared').concat(chance.pick(team)))
  const local = plainName(name)
  const ownDomain = chance.happens(0.5)
  const host = ownDomain
    ? `${plainName(name.split(' ')[1] ?? '').replaceAll('.', '-')}-${chance.pick(trades)}.example`
    : chance.pick(['freepost.example', 'quickpost.example'])
  return {
    from: {
      name,
      address: ownDomain ? `${local.split('.')[0]}@${host}` : `${local}${chance.between(1, 99)}@${host}`,
    },
    to: [{ name: to.name, address: to.address }],
    subject: fill(subject, chance, { language }),
    text: `${fill(text, chance, { language })}\n\n${name}`,
    proof: ownDomain ? chance.pick(['pass', 'pass', 'aligned', 'none'] as const) : 'pass',
  }
}
