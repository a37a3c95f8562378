/**
 * Weights in log-odds, positive towards junk.
 * Origin: set by hand for the first version and looked at on the made-up organisation's mail only;
 * they are to be fitted on ruled-on mail. `words`, `sender-ruled-*`, `correspondence-*` scale with their counts.
 */
export const weights = {
  'starting-point': -1.4,
  'dmarc-pass': -0.9,
  'aligned-pass': -0.5,
  'authentication-fail': 1.5,
  'authentication-none': 0.5,
  'authentication-error': 0.2,
  'own-domain-fail': 3.2,
  'answers-colleague': -3,
  'correspondence-address': -1.6,
  'correspondence-domain': -0.9,
  'correspondence-mailbox': -0.8,
  'first-from-address': 0.5,
  'first-from-domain': 0.6,
  'seen-often': -0.5,
  'sender-ruled-wanted': -0.9,
  'sender-ruled-junk': 0.9,
  'words-wanted': -1,
  'words-junk': 1,
  'link-differs': 1.6,
  'link-numeric-host': 1.4,
  'link-punycode': 1.1,
  'link-file-host': 0.9,
  'link-elsewhere': 0.4,
  'many-links': 0.4,
  'hidden-text': 1.2,
  'imitates-colleague': 2.4,
  'reply-to-elsewhere': 0.8,
  'no-message-id': 0.6,
  'date-far-off': 0.9,
  'no-from': 1.5,
  'attachment-macro': 1.7,
  'attachment-encrypted-archive': 1.5,
  'attachment-archive': 0.7,
  bulk: 0.5,
  'many-recipients': 0.4,
  'could-not-be-read': 3.4,
} as const

export type Finding = keyof typeof weights

/** One weighed finding. `facts` fill the blanks of its sentence; the weight is rounded to 2 decimals. */
export interface Evidence {
  readonly finding: Finding
  readonly weight: number
  readonly facts: Readonly<Record<string, string | number>>
}

/** `times` scales the table's weight, for findings that count something. */
export function evidence(finding: Finding, facts: Evidence['facts'] = {}, times = 1): Evidence {
  // Rounded here and nowhere else, so that the bars on screen add up to the score on screen.
  return { finding, weight: Math.round(weights[finding] * times * 100) / 100, facts }
}

/** Junk score 0 to 100 with one decimal, from the sum of all evidence. */
export function junkScore(all: readonly Evidence[]): number {
  const sum = all.reduce((total, { weight }) => total + weight, 0)
  return Math.round(1000 / (1 + Math.exp(-sum))) / 10
}

/** Longest bars first, the starting point last; ties keep their order. */
export function byWeight(all: readonly Evidence[]): readonly Evidence[] {
  const rank = (e: Evidence) => (e.finding === 'starting-point' ? -1 : Math.abs(e.weight))
  return [...all].sort((a, b) => rank(b) - rank(a))
}
