export const demoStaffers: readonly {
  readonly name: string
  readonly signIn: string
  readonly role: 'steward' | 'helpdesk' | 'observer'
  readonly password: string
}[]
export const demoColleague: { readonly address: string; readonly password: string }
