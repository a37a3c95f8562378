import type { Organisation } from '../db/organisation.ts'
import { translator } from '../wording.ts'
import { organisationWords } from './own-mail.ts'

/** What the first letter and the one with a code say of. */
interface LetterFacts {
  readonly name: string
  readonly address: string
  readonly language: string
  /** Of the colleague's own pages. */
  readonly url: string
  readonly secret: string
  /** How long a code counts. */
  readonly minutes: number
}

/** Subject and text of the welcome of a colleague, or of a one-time code, with the organisation's own words. */
export function letterText(
  organisation: Pick<Organisation, 'name' | 'letters'>,
  kind: 'welcome' | 'code',
  { language, minutes, ...facts }: LetterFacts,
): { readonly subject: string; readonly text: string } {
  const t = translator(language)
  const given = { ...facts, organisation: organisation.name, count: minutes }
  const part = (name: string) => t(`${kind}.${name}`, given)
  const parts = [
    part('greeting'),
    part('text'),
    kind === 'welcome' ? organisationWords(organisation, 'welcome', language) : '',
    part('secret'),
    part('how'),
    part('never'),
    organisationWords(organisation, 'foot', language),
  ]
  return {
    // Only a code stands where a locked screen shows it: it counts for minutes.
    subject: t(`${kind}.subject`, { ...given, secret: kind === 'code' ? facts.secret : '' }),
    text: `${parts.filter(text => text !== '').join('\n\n')}\n`,
  }
}
