export const demoStaffers: readonly {
  readonly name: string
  readonly signIn: string
  readonly role: 'steward' | 'helpdesk' | 'observer'
  readonly password: string
  readonly departments?: readonly string[]
}[]
export const demoColleague: { readonly address: string; readonly password: string }
