/** The demo's own sign-ins: printed at start, and good for nothing else. */
export const demoStaffers = [
  { name: 'Oda Rask', signIn: 'oda', role: 'steward', password: 'ferry-at-dawn' },
  { name: 'Per Dalvåg', signIn: 'per', role: 'helpdesk', password: 'ferry-at-noon' },
  { name: 'Una Sjøgren', signIn: 'una', role: 'observer', password: 'ferry-at-dusk' },
]
