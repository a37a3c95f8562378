import { covers, displayDomain, findLookalike, isSameOrganisation } from '../../address/index.ts'
import type { Link } from '../../message/index.ts'
import type { Weighed } from './context.ts'
import { observe, type Observed } from './evidence.ts'
import { rawLikeness } from './lookalikes.ts'

/** A web address or bare host at the start of a link's text: what the reader believes to open. */
const hostInText = /^(?:https?:\/\/)?((?:[\p{L}\p{N}-]{1,63}\.){1,8}[\p{L}]{2,63})(?:[/:?#]|$)/iu

const hostShown = ({ text }: Link) => hostInText.exec(text.trim().slice(0, 300))?.[1] ?? null
const rawLink = ({ text, href }: Link) => [text.slice(0, 120), href] as const

/** Where links really lead, against what they say and against who sent them. */
export function weighLinks({
  message,
  sender: { from },
  context: { policy, knownDomains },
}: Weighed): readonly Observed[] {
  const found: Observed[] = []
  const links = message.links.filter(({ host }) => host !== '')
  const first = (fits: (link: Link) => boolean) => links.find(fits)

  const differs = first(link => {
    const shown = hostShown(link)?.toLowerCase()
    return shown !== undefined && !isSameOrganisation(shown, link.host)
  })
  if (differs) {
    found.push(
      observe('link-differs', {
        facts: { shown: hostShown(differs) ?? '', target: displayDomain(differs.host) },
        raw: [rawLink(differs)],
      }),
    )
  }
  const numeric = first(({ host }) => /^[\d.]+$|^\[/.test(host))
  if (numeric)
    found.push(observe('link-numeric-host', { facts: { host: numeric.host }, raw: [rawLink(numeric)] }))
  const punycode = first(({ host }) => host.includes('xn--'))
  if (punycode) {
    found.push(
      observe('link-punycode', {
        facts: { host: punycode.host, shown: displayDomain(punycode.host) },
        raw: [rawLink(punycode)],
      }),
    )
  }
  const lookalike = links.slice(0, 60).flatMap(link => {
    const match = findLookalike(link.host, knownDomains)
    return match ? [{ link, match }] : []
  })[0]
  if (lookalike) {
    const { link, match } = lookalike
    found.push(
      observe('link-lookalike', {
        facts: { host: displayDomain(link.host), known: displayDomain(match.known) },
        raw: [rawLink(link), ...rawLikeness(match)],
      }),
    )
  }
  const fileHost = first(({ host }) => policy.fileHosts.some(own => covers(own, host)))
  const shortened = first(({ host }) => (policy.linkShorteners ?? []).some(own => covers(own, host)))
  const sender = from[0]?.domain
  const elsewhere = first(({ host }) => sender !== undefined && !isSameOrganisation(host, sender))
  if (shortened)
    found.push(observe('link-shortened', { facts: { host: shortened.host }, raw: [rawLink(shortened)] }))
  if (fileHost)
    found.push(observe('link-file-host', { facts: { host: fileHost.host }, raw: [rawLink(fileHost)] }))
  else if (elsewhere && !differs && !shortened) {
    found.push(
      observe('link-elsewhere', {
        facts: { host: displayDomain(elsewhere.host) },
        raw: [rawLink(elsewhere)],
      }),
    )
  }
  if (links.length > 15) found.push(observe('many-links', { facts: { count: links.length } }))
  return found
}
