import { covers, displayDomain, isSameOrganisation } from '../address/index.ts'
import { allHeaders, findHeader, type Message } from '../message/index.ts'
import { isAuthenticated, readAuthentication, type SenderFacts } from '../senders/index.ts'
import { evidence, type Evidence } from './evidence.ts'
import type { OrganisationPolicy } from './organisation.ts'
import { weighWords, wordsOf, type WordKnowledge } from './words.ts'

/** What the organisation knows about a sender when the message comes in. */
export interface SenderKnowledge {
  /** Messages colleagues sent to this address, and to its domain. */
  readonly writtenToAddress: number
  readonly writtenToDomain: number
  /** Subject of the colleague's message that this one answers; `null` when it answers none. */
  readonly answered: string | null
  /** Messages seen before from this address, and from its domain. */
  readonly seenAddress: number
  readonly seenDomain: number
  readonly ruledWanted: number
  readonly ruledJunk: number
  /** The colleague whose name the display name is, though the address is not theirs; else `null`. */
  readonly imitates: string | null
}

export interface WeighContext {
  readonly policy: OrganisationPolicy
  readonly knowledge: SenderKnowledge
  readonly words: WordKnowledge
  /** Mailboxes the message came in for. */
  readonly recipients: number
  /** Epoch ms when it came in. */
  readonly receivedAt: number
}

/** The facts sender lists look at; `envelopeFrom` as the SMTP client gave it. */
export function senderFacts(
  message: Message,
  envelopeFrom: SenderFacts['envelopeFrom'],
  policy: Pick<OrganisationPolicy, 'trustedHosts'>,
): SenderFacts {
  return {
    from: message.from.flatMap(({ address }) => (address === null ? [] : [address])),
    envelopeFrom,
    sender: message.sender?.address ?? null,
    listId: message.listId,
    authentication: readAuthentication(
      allHeaders(message.headers, 'Authentication-Results'),
      new Set(policy.trustedHosts.map(host => host.toLowerCase())),
    ),
  }
}

/** Everything that weighs on a message for all its mailboxes alike. */
export function weighMessage(
  message: Message,
  sender: SenderFacts,
  context: WeighContext,
): readonly Evidence[] {
  return [
    evidence('starting-point'),
    ...weighAuthentication(sender, context.policy),
    ...weighCorrespondence(sender, context.knowledge),
    ...weighHistory(sender, context.knowledge),
    ...weighWords(wordsOf(message), context.words),
    ...weighLinks(message, sender, context.policy),
    ...weighHeaders(message, sender, context),
    ...weighAttachments(message),
    ...weighBulk(message, context.recipients),
  ]
}

/** What weighs in one mailbox only: this colleague has written to the sender. */
export function weighForMailbox(writtenByColleague: number): readonly Evidence[] {
  if (writtenByColleague === 0) return []
  return [evidence('correspondence-mailbox', { count: writtenByColleague }, growth(writtenByColleague))]
}

/** The evidence of a message that could not be read. */
export function weighUnreadable(problem: string): readonly Evidence[] {
  return [evidence('starting-point'), evidence('could-not-be-read', { problem })]
}

/** 1 for one, growing slowly: ten letters are not ten times the proof of one. */
function growth(count: number): number {
  return 1 + Math.log10(Math.min(count, 100)) / 2
}

function weighAuthentication(
  { from, authentication }: SenderFacts,
  policy: OrganisationPolicy,
): readonly Evidence[] {
  const domain = from[0]?.domain
  if (domain === undefined) return []
  const facts = { domain: displayDomain(domain) }
  if (isAuthenticated(domain, authentication)) {
    return [evidence(authentication.dmarc.result === 'pass' ? 'dmarc-pass' : 'aligned-pass', facts)]
  }
  if (policy.ownDomains.some(own => covers(own, domain))) return [evidence('own-domain-fail', facts)]
  const { dmarc, spf, dkim } = authentication
  const results = [dmarc.result, spf.result, ...dkim.map(({ result }) => result)]
  if (dmarc.result === 'fail' || spf.result === 'fail') return [evidence('authentication-fail', facts)]
  if (results.includes('temperror')) return [evidence('authentication-error', facts)]
  return [evidence('authentication-none', facts)]
}

function weighCorrespondence({ from }: SenderFacts, known: SenderKnowledge): readonly Evidence[] {
  const found: Evidence[] = []
  if (known.answered !== null) found.push(evidence('answers-colleague', { subject: known.answered }))
  if (known.writtenToAddress > 0) {
    found.push(
      evidence('correspondence-address', { count: known.writtenToAddress }, growth(known.writtenToAddress)),
    )
  } else if (known.writtenToDomain > 0) {
    const domain = displayDomain(from[0]?.domain ?? '')
    found.push(
      evidence(
        'correspondence-domain',
        { count: known.writtenToDomain, domain },
        growth(known.writtenToDomain),
      ),
    )
  }
  return found
}

function weighHistory({ from }: SenderFacts, known: SenderKnowledge): readonly Evidence[] {
  const domain = displayDomain(from[0]?.domain ?? '')
  const found: Evidence[] = []
  if (known.seenDomain === 0) found.push(evidence('first-from-domain', { domain }))
  else if (known.seenAddress === 0)
    found.push(evidence('first-from-address', { domain, count: known.seenDomain }))
  else if (known.seenAddress >= 5) found.push(evidence('seen-often', { count: known.seenAddress }))
  if (known.ruledWanted > 0) {
    found.push(evidence('sender-ruled-wanted', { count: known.ruledWanted }, growth(known.ruledWanted)))
  }
  if (known.ruledJunk > 0) {
    found.push(evidence('sender-ruled-junk', { count: known.ruledJunk }, growth(known.ruledJunk)))
  }
  return found
}

/** A web address or bare host at the start of a link's text: what the reader believes to open. */
const hostInText = /^(?:https?:\/\/)?((?:[\p{L}\p{N}-]+\.)+[\p{L}]{2,})(?:[/:?#]|$)/iu

function weighLinks(
  message: Message,
  { from }: SenderFacts,
  policy: OrganisationPolicy,
): readonly Evidence[] {
  const found: Evidence[] = []
  const links = message.links.filter(({ host }) => host !== '')
  const differs = links.find(({ text, host }) => {
    const shown = hostInText.exec(text.trim())?.[1]?.toLowerCase()
    return shown !== undefined && !isSameOrganisation(shown, host)
  })
  if (differs) {
    const shown = hostInText.exec(differs.text.trim())?.[1] ?? ''
    found.push(evidence('link-differs', { shown, target: displayDomain(differs.host) }))
  }
  const numeric = links.find(({ host }) => /^[\d.]+$|^\[/.test(host))
  if (numeric) found.push(evidence('link-numeric-host', { host: numeric.host }))
  const punycode = links.find(({ host }) => host.includes('xn--'))
  if (punycode)
    found.push(evidence('link-punycode', { host: punycode.host, shown: displayDomain(punycode.host) }))
  const fileHost = links.find(({ host }) => policy.fileHosts.some(known => covers(known, host)))
  const sender = from[0]?.domain
  const elsewhere = links.find(({ host }) => sender !== undefined && !isSameOrganisation(host, sender))
  if (fileHost) found.push(evidence('link-file-host', { host: fileHost.host }))
  else if (elsewhere && !differs)
    found.push(evidence('link-elsewhere', { host: displayDomain(elsewhere.host) }))
  if (links.length > 15) found.push(evidence('many-links', { count: links.length }))
  if (message.hiddenText.length > 40)
    found.push(evidence('hidden-text', { length: message.hiddenText.length }))
  return found
}

const day = 86_400_000

function weighHeaders(
  message: Message,
  sender: SenderFacts,
  { knowledge, receivedAt }: WeighContext,
): readonly Evidence[] {
  const found: Evidence[] = []
  const domain = sender.from[0]?.domain
  if (domain === undefined) found.push(evidence('no-from'))
  if (knowledge.imitates !== null) found.push(evidence('imitates-colleague', { name: knowledge.imitates }))
  const replyTo = message.replyTo[0]?.address?.domain
  if (domain !== undefined && replyTo !== undefined && !isSameOrganisation(domain, replyTo)) {
    found.push(evidence('reply-to-elsewhere', { domain: displayDomain(replyTo) }))
  }
  if (message.messageId === null) found.push(evidence('no-message-id'))
  const off = message.date === null ? 0 : Math.abs(message.date - receivedAt) / day
  if (off > 2) found.push(evidence('date-far-off', { days: Math.round(off) }))
  return found
}

const archiveTypes = /^application\/(zip|x-7z-compressed|x-rar-compressed|gzip|x-tar)$/

function weighAttachments({ attachments }: Message): readonly Evidence[] {
  const found: Evidence[] = []
  const named = (danger: string) => attachments.find(attachment => attachment.danger === danger)
  const macro = named('macro')
  if (macro) found.push(evidence('attachment-macro', { name: macro.name }))
  const encrypted = named('encrypted-archive')
  if (encrypted) found.push(evidence('attachment-encrypted-archive', { name: encrypted.name }))
  const archives = attachments.filter(a => archiveTypes.test(a.trueType) && a.danger === null)
  if (archives.length > 0) found.push(evidence('attachment-archive', { count: archives.length }))
  return found
}

/** Marks of bulk mail: RFC 2369 / 2919 list headers, Precedence (RFC 3834 §3.1.8). */
export function isBulk(message: Message): boolean {
  return (
    message.listId !== null ||
    findHeader(message.headers, 'List-Unsubscribe') !== null ||
    /^(bulk|list|junk)$/i.test(findHeader(message.headers, 'Precedence') ?? '')
  )
}

function weighBulk(message: Message, recipients: number): readonly Evidence[] {
  const found: Evidence[] = []
  if (isBulk(message)) found.push(evidence('bulk'))
  if (recipients >= 8) found.push(evidence('many-recipients', { count: recipients }))
  return found
}
