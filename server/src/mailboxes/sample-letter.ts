import type { DigestLanguage } from '@pendro/contract'
import { composeDigest } from '@pendro/core/digest'
import type { Organisation } from '../db/organisation.ts'
import { letterText } from '../outbox/letter-text.ts'
import { organisationWords } from '../outbox/own-mail.ts'
import { translator } from '../wording.ts'

interface Sample {
  readonly kind: 'welcome' | 'code' | 'digest'
  readonly language: DigestLanguage
  readonly publicUrl: string
  readonly now: Date
}

/** Nobody's: what stands in place of a secret. */
const secrets = { welcome: 'abcd-efgh-jkmn-pqrs', code: '000000' }

/** A letter as a colleague would get it, to nobody in particular; a digest without a message. */
export function sampleLetter(
  organisation: Organisation,
  { kind, language, publicUrl, now }: Sample,
): { subject: string; text: string } {
  const address = `…@${organisation.policy.ownDomains[0] ?? ''}`
  const url = `${publicUrl}/own`
  if (kind !== 'digest')
    return letterText(organisation, kind, {
      name: '…',
      address,
      language,
      url,
      secret: secrets[kind],
      minutes: 10,
    })
  const digest = composeDigest(
    {
      colleague: '…',
      organisation: organisation.name,
      language,
      timeZone: organisation.timeZone,
      lines: [],
      ending: [],
      leftOut: 3,
      leftOutUntil: now.getTime() + organisation.keep.quarantined * 86_400_000,
      leavesOutJunk: false,
      ownPage: url,
      freshPage: `${url}/settings`,
      foot: organisationWords(organisation, 'foot', language),
    },
    translator(language),
  )
  return { subject: digest?.subject ?? '', text: digest?.text ?? '' }
}
