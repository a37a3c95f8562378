/** The demo's own sign-ins: printed at start, and good for nothing else. */
export const demoStaffers = [
  { name: 'Oda Rask', signIn: 'oda', role: 'steward', password: 'ferry-at-dawn' },
  { name: 'Per Dalvåg', signIn: 'per', role: 'helpdesk', password: 'ferry-at-noon' },
  { name: 'Una Sjøgren', signIn: 'una', role: 'observer', password: 'ferry-at-dusk' },
  {
    name: 'Nils Aune',
    signIn: 'nils',
    role: 'helpdesk',
    password: 'ferry-at-night',
    departments: ['Finance', 'Freight'],
  },
]

/** Every colleague of the demo signs in to their own page with this; one of them by name. */
export const demoColleague = { address: 'solveig.skarvik@vindholm.example', password: 'ferry-at-tea' }
