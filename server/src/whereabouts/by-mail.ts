import { no, yes, type Parsed } from '@pendro/core/address'
import { findAutomaticSign } from '@pendro/core/digest'
import type { Database } from '../db/database.ts'
import { readOrganisation } from '../db/organisation.ts'
import { findProvenColleague, type HandedIn } from '../intake/proven-colleague.ts'
import type { SmtpRefusal } from '../intake/smtp-answers.ts'
import { openEnquiry } from './enquiries.ts'
import { findAnswered, takeWords } from './letters.ts'
import { harmlessLine } from '@pendro/core/text'

const address = /[\w.+-]{1,64}@[\w-]{1,63}(?:\.[\w-]{1,63}){1,8}/

/** Addresses in a text, word by word: a search that may begin anywhere would start anew at every letter. */
const addressesIn = (text: string): readonly string[] =>
  text
    .slice(0, 20_000)
    .split(/\s+/)
    .flatMap(word => (word.includes('@') ? (address.exec(word.slice(0, 400))?.[0].toLowerCase() ?? []) : []))

/**
 * A colleague's mail to the help address opens an enquiry in their words; the first address in it that is not
 * ours is whom it asks about. One that answers a letter of ours goes into its enquiry. What no person sent is taken and does nothing. The problem is the code of the SMTP answer.
 */
export async function enquireByMail(
  db: Database,
  given: HandedIn,
): Promise<Parsed<number | null, SmtpRefusal>> {
  const { parsed, envelopeFrom, now } = given
  if (!parsed.ok) return no('unreadable-question')
  const message = parsed.value
  if (findAutomaticSign({ headers: message.headers, envelopeFrom, subject: message.subject }) !== null)
    return yes(null)
  const colleague = await findProvenColleague(db, message, given)
  if (colleague === 'nobody') return no('question-not-colleague')
  if (colleague === 'not-proven') return no('question-unproven')
  const answered = await findAnswered(db, colleague.id, message.answers)
  if (answered !== null) {
    const { messageId, subject, text: words } = message
    await takeWords(db, { enquiryId: answered, colleague, words, how: 'mail', subject, messageId }, now)
    return yes(answered)
  }
  const { policy } = await readOrganisation(db)
  const text = harmlessLine(message.text.slice(0, 20_000).replace(/\s+/g, ' '))
  const asked = addressesIn(`${message.subject} ${text}`).find(
    found => !policy.ownDomains.some(own => found.endsWith(`@${own}`) || found.endsWith(`.${own}`)),
  )
  const id = await openEnquiry(
    db,
    { actor: { kind: 'colleague', id: null, name: colleague.name }, stafferId: null },
    {
      mailboxId: colleague.id,
      how: 'mail',
      words:
        [message.subject, text]
          .filter(part => part !== '')
          .join(': ')
          .slice(0, 1000) || '…',
      question: { from: asked ?? '', to: colleague.address, about: '', when: '' },
      letter: { words: message.text, subject: message.subject, messageId: message.messageId },
    },
    now,
  )
  return yes(id)
}
