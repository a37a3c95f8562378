import type { MailRule } from '@pendro/core/mail-rules'

type Rule = Omit<MailRule, 'id' | 'owner'> & {
  /** '' for a rule of the organisation. */
  readonly mailbox: string
  readonly daysAgo: number
}

const into = (folder: string): MailRule['action'] => ({
  hold: 'let-in',
  place: { kind: 'folder', folder },
  important: false,
  stop: false,
})

/** Names a colleague has made a rule for each, in years of blocking one sender after the other. */
const unwanted = ['deals', 'news', 'offers', 'info', 'sale', 'hello', 'team', 'marketing'] as const
const shops = [
  'bargainfleet',
  'outlet-pier',
  'brasswind-offers',
  'cabin-club',
  'deckchair-direct',
  'fogbell-prints',
  'gangway-fashion',
  'harpoon-fitness',
  'islandwine',
  'jetty-furniture',
  'keel-insurance',
  'lantern-travel',
  'mooring-media',
] as const

const blockOne = (address: string, hold: 'junk' | 'discarded'): Rule => ({
  mailbox: 'hakon.lund@vindholm.example',
  name: address,
  daysAgo: 400,
  needs: 'all',
  conditions: [{ field: 'from', test: 'is', values: [address] }],
  action: { hold, place: null, important: false, stop: false },
})

/** One rule a sender: a list that wants to be folded into sender entries. */
const oneByOne: readonly Rule[] = shops.flatMap((shop, i) =>
  unwanted.map(name => blockOne(`${name}@${shop}.example`, i % 4 === 3 ? 'discarded' : 'junk')),
)

/** Mail rules colleagues made in the months before. All invented. */
export const mailRules: readonly Rule[] = [
  {
    mailbox: 'freight@vindholm.example',
    name: 'Gefahrgut',
    daysAgo: 320,
    needs: 'all',
    conditions: [
      { field: 'from', test: 'matches', values: ['*@hafen-nordersiel.example'] },
      { field: 'subject', test: 'contains', values: ['gefahrgutmeldung'] },
    ],
    action: into('Gefahrgut'),
  },
  {
    mailbox: 'freight@vindholm.example',
    name: 'Hafen Nordersiel',
    daysAgo: 210,
    needs: 'any',
    conditions: [{ field: 'from', test: 'matches', values: ['*@hafen-nordersiel.example'] }],
    action: { hold: 'let-in', place: { kind: 'inbox' }, important: false, stop: false },
  },
  {
    mailbox: 'freight@vindholm.example',
    name: 'Manifests',
    daysAgo: 130,
    needs: 'all',
    conditions: [
      { field: 'from', test: 'contains', values: ['skerry-freight.example'] },
      { field: 'subject', test: 'matches', values: ['manifest correction*'] },
    ],
    action: into('Manifests/Corrections'),
  },
  {
    mailbox: 'aksel.brandt@vindholm.example',
    name: 'Forecasts',
    daysAgo: 41,
    needs: 'all',
    conditions: [
      { field: 'from', test: 'is', values: ['forecast@havbris.example'] },
      { field: 'subject', test: 'contains', values: ['route forecast'] },
    ],
    action: into('Weather'),
  },
  {
    mailbox: 'solveig.skarvik@vindholm.example',
    name: 'Fish orders',
    daysAgo: 260,
    needs: 'any',
    conditions: [
      { field: 'from', test: 'contains', values: ['ostrea-fisk.example'] },
      { field: 'subject', test: 'begins', values: ['Fisk til byssa'] },
    ],
    action: {
      hold: 'let-in',
      place: { kind: 'folder', folder: 'Orders/Fish' },
      important: false,
      stop: false,
    },
  },
  {
    mailbox: 'solveig.skarvik@vindholm.example',
    name: 'Questions about a ship',
    daysAgo: 190,
    needs: 'all',
    conditions: [{ field: 'subject', test: 'contains', values: ['Frage zur', 'Spørsmål om', 'Pytanie o'] }],
    action: { hold: null, place: { kind: 'inbox' }, important: true, stop: false },
  },
  {
    mailbox: 'solveig.skarvik@vindholm.example',
    name: 'Galley offers',
    daysAgo: 140,
    needs: 'all',
    conditions: [{ field: 'list', test: 'is', values: ['offers.galleysupplies.example'] }],
    action: { hold: null, place: { kind: 'folder', folder: 'Offers' }, important: false, stop: false },
  },
  {
    mailbox: 'solveig.skarvik@vindholm.example',
    name: 'Large attachments',
    daysAgo: 75,
    needs: 'all',
    conditions: [
      { field: 'kind', test: 'is', values: ['archive', 'film'] },
      { field: 'size', test: 'over', bytes: 10_000_000 },
    ],
    action: { hold: null, place: { kind: 'aside' }, important: false, stop: false },
  },
  {
    mailbox: '',
    name: 'Sales',
    daysAgo: 150,
    needs: 'all',
    conditions: [
      { field: 'subject', test: 'contains', values: ['% off everything', 'last chance', 'prize draw'] },
    ],
    action: { hold: 'junk', place: null, important: false, stop: false },
  },
  {
    mailbox: '',
    name: 'Drill alarms',
    daysAgo: 88,
    needs: 'all',
    conditions: [{ field: 'subject', test: 'begins', values: ['[DRILL]'] }],
    action: { hold: null, place: { kind: 'inbox' }, important: true, stop: false },
  },
  ...oneByOne,
]
