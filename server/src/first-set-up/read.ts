import type { z } from 'zod'
import type { beginSetUp, SetUpProblem } from '@pendro/contract'
import { addressText, no, parseAddress, parseDomain, yes, type Parsed } from '@pendro/core/address'
import { isNetwork } from '@pendro/core/authentication'
import { usualDays, usualHeaderDays } from '@pendro/core/keeping'
import type { Organisation } from '../db/organisation.ts'
import type { MailboxPlan, StafferPlan } from '../set-up.ts'

type Body = z.output<typeof beginSetUp.body>

interface Plan {
  readonly organisation: Organisation
  readonly mailboxes: readonly MailboxPlan[]
  readonly staffers: readonly StafferPlan[]
}

const shown = (line: string) => (line.length > 100 ? `${line.slice(0, 99)}…` : line)

const linesOf = (text: string) =>
  text
    .split(/\r?\n/)
    .map(line => line.trim())
    .filter(line => line !== '')

/** The form of the first set-up, read whole: every line that is wrong is named, not only the first. */
export function readSetUp(body: Body): Parsed<Plan, readonly SetUpProblem[]> {
  const wrong: SetUpProblem[] = []
  const domains = linesOf(body.ownDomains).flatMap(line => {
    const domain = parseDomain(line)
    if (!domain.ok) wrong.push({ code: 'not-a-domain', line: shown(line) })
    return domain.ok ? [domain.value] : []
  })
  const hosts = linesOf(body.trustedHosts).flatMap(line => {
    const host = parseDomain(line)
    if (!host.ok) wrong.push({ code: 'not-a-host', line: shown(line) })
    return host.ok ? [host.value] : []
  })
  const gateways = linesOf(body.gateways).filter(line => {
    if (!isNetwork(line)) wrong.push({ code: 'not-a-network', line: shown(line) })
    return isNetwork(line)
  })
  const mailboxes = readMailboxes(body, wrong)
  if (wrong.length > 0) return no(wrong.slice(0, 20))
  const organisation: Organisation = {
    name: body.organisation,
    timeZone: body.timeZone,
    policy: {
      ownDomains: domains,
      trustedHosts: hosts,
      gateways,
      forbidden: ['executable', 'script', 'disguised', 'program-in-archive', 'bomb'],
      fileHosts: [],
      sharedProviders: [],
    },
    // A new installation holds nothing back but harm until a steward says otherwise.
    watching: true,
    limits: { junk: 40, quarantined: 40, nearCertain: 80 },
    keep: { quarantined: usualDays, junk: usualDays, discarded: usualDays },
    headerDays: usualHeaderDays,
    digestAddress: `digest@${domains[0]}`,
  }
  return yes({
    organisation,
    mailboxes,
    staffers: [{ name: body.name, signIn: body.signIn, role: 'steward', password: body.password }],
  })
}

/** 'anna@x.example, Anna Berg' or the address alone. */
function readMailboxes(body: Body, wrong: SetUpProblem[]): readonly MailboxPlan[] {
  const seen = new Set<string>()
  return linesOf(body.mailboxes).flatMap((line): MailboxPlan[] => {
    const [first = '', ...rest] = line.split(/[,;\t]/)
    const parsed = parseAddress(first)
    if (!parsed.ok) {
      wrong.push({ code: 'no-address', line: shown(line) })
      return []
    }
    const address = addressText(parsed.value)
    if (seen.has(address)) {
      wrong.push({ code: 'listed-twice', line: shown(address) })
      return []
    }
    seen.add(address)
    return [
      {
        address,
        aliases: [],
        name: rest.join(',').trim() || address,
        kind: 'person',
        department: '',
        timeZone: body.timeZone,
        language: 'en',
      },
    ]
  })
}
