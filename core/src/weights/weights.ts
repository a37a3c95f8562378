/**
 * Weights in log-odds, positive towards junk; the one place where they stand.
 * Origin: `npm run fit` (bench/fit.ts), a logistic regression on the made-up organisation's mail of seeds of its
 * own, each weight held near what it was set to by hand (bench/fit-prior.ts), to the sign of its meaning, and inside what is
 * known of real mail (`realShares`); see docs/judgement.md. Findings that the made-up mail never shows keep the value set by
 * hand, marked so. A weight of 0 is shown as a fact and moves nothing.
 */
export const weights = {
  'starting-point': -1.25,
  'dmarc-pass': -1.44,
  'aligned-pass': -0.61,
  'authentication-fail': 2.11,
  'authentication-none': 0.2,
  'authentication-error': 0.2, // by hand
  'own-domain-fail': 3.21,
  'answers-colleague': -3,
  'correspondence-address': -2.04,
  'correspondence-domain': -0.96,
  'correspondence-mailbox': -0.83,
  'in-contacts': -1, // by hand
  'known-list': -0.9, // by hand
  'first-from-address': 0.1,
  'first-from-domain': 0.2,
  'new-and-odd': 0.9, // by hand
  'seen-often': -0.29,
  'sender-ruled-wanted': -0.9,
  'sender-ruled-junk': 2.31,
  'words-wanted': -1,
  'words-junk': 1,
  'link-differs': 1.2,
  'link-numeric-host': 1.47,
  'link-punycode': 1.1, // by hand
  'link-file-host': 0.9, // by hand
  'link-shortened': 0.7, // by hand
  'link-lookalike': 2.6,
  'link-elsewhere': 0,
  'many-links': 0.4, // by hand
  'hidden-text': 0.9,
  'lookalike-own': 3.2,
  'lookalike-known': 2.6, // by hand
  'imitates-colleague': 2.48,
  'reply-to-elsewhere': 0.3,
  'no-message-id': 0.79,
  'date-far-off': 1.58,
  'no-from': 1.5, // by hand
  'several-senders': 1.2, // by hand
  'odd-headers': 0.8, // by hand
  'crowded-to': 0.9, // by hand
  'attachment-macro': 1.89,
  'attachment-encrypted-archive': 1.51,
  'attachment-archive': 0.7, // by hand
  'attachment-unreadable-archive': 0.8, // by hand
  'attachment-lies': 1.4, // by hand
  bulk: -0.2,
  'many-recipients': 0.3,
  'could-not-be-read': 3.4, // by hand
} as const

/** The name of a piece of evidence. */
export type Finding = keyof typeof weights

/** What each finding weighs. */
export type Weights = Readonly<Record<Finding, number>>

/** Shares of messages in which a finding is true. */
interface Shares {
  readonly wanted: number
  readonly junk: number
}

/**
 * What is known of real mail: 706 wanted and 483 junk messages of about 2002, many from lists, chosen to be hard; the messages
 * are kept apart. Rough, and held against each weight: the fit may not go beyond the log of how much more often junk has it.
 */
export const realShares: Readonly<Partial<Record<Finding, Shares>>> = {
  'link-elsewhere': { wanted: 0.71, junk: 0.7 },
  bulk: { wanted: 0.77, junk: 0.21 },
}

/** Shares within so much of each other tell the two apart no more than chance does. */
const indistinct = 0.03

/**
 * How far the weight of a finding may go, from and to; `null` where nothing is known of real mail. The shares are of old mail, so
 * they bound a weight and do not set it.
 */
export function rangeOf(finding: Finding): readonly [from: number, to: number] | null {
  const shares = realShares[finding]
  if (!shares) return null
  const { wanted, junk } = shares
  if (Math.abs(wanted - junk) <= indistinct) return [0, 0]
  const odds = Math.log(junk / wanted)
  return [Math.min(0, odds), Math.max(0, odds)]
}

/** How far a weight may go from the shipped one, so many log-odds and half of itself. */
const leeway = { least: 0.5, share: 0.5 }

/**
 * Where a weight may be in an organisation of its own, from and to; `null` for what stays as it is. Never on the other side of its meaning, never beyond
 * what is known of real mail, and near the shipped one: nobody who writes or rules moves it further. The starting point stays since people
 * rule mostly on what was kept back; the words have a model and a bound of their own (`boundOf`).
 */
export function weightBounds(finding: Finding): readonly [from: number, to: number] | null {
  if (fixed.has(finding)) return null
  const shipped = weights[finding]
  const [least, most] = rangeOf(finding) ?? (shipped > 0 ? [0, Infinity] : [-Infinity, 0])
  if (least === most) return null
  const off = leeway.least + leeway.share * Math.abs(shipped)
  return [hundredths(Math.max(least, shipped - off)), hundredths(Math.min(most, shipped + off))]
}

const fixed: ReadonlySet<Finding> = new Set([
  'starting-point',
  'words-wanted',
  'words-junk',
  'could-not-be-read',
])

const hundredths = (weight: number) => Math.round(weight * 100) / 100

/** The shipped table with some weights of an organisation's own in it, each held to its bounds; what it does not know is left out. */
export function weightsWith(own: Readonly<Partial<Record<string, number>>>): Weights {
  const table: Record<Finding, number> = { ...weights }
  for (const finding of Object.keys(weights) as Finding[]) {
    const bounds = weightBounds(finding)
    const weight = own[finding]
    if (bounds && weight !== undefined) table[finding] = Math.max(bounds[0], Math.min(bounds[1], weight))
  }
  return table
}
