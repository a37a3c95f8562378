/** An enhanced status code, RFC 3463 §2: class "." subject "." detail. */
export interface EnhancedStatus {
  readonly code: string
  readonly kind: 'success' | 'for-now' | 'for-good'
  /** The number of its meaning in `meanings`, such as '1.1'; only the subject, such as '1', when the detail is unknown. */
  readonly meaning: string
}

/** Meanings RFC 3463 §3 defines, as subject and detail. RFC 7504 adds 1.10. */
export const statusMeanings: ReadonlySet<string> = new Set([
  ...Array.from({ length: 9 }, (_, detail) => `1.${detail}`),
  '1.10',
  ...Array.from({ length: 5 }, (_, detail) => `2.${detail}`),
  ...Array.from({ length: 6 }, (_, detail) => `3.${detail}`),
  ...Array.from({ length: 8 }, (_, detail) => `4.${detail}`),
  ...Array.from({ length: 6 }, (_, detail) => `5.${detail}`),
  ...Array.from({ length: 6 }, (_, detail) => `6.${detail}`),
  ...Array.from({ length: 8 }, (_, detail) => `7.${detail}`),
])

/** The first enhanced status code in a server's reply; `null` when it gives none. */
export function readStatus(reply: string): EnhancedStatus | null {
  const [code, kind, subject = '', detail = ''] =
    /(?<![\d.])([245])\.(\d{1,3})\.(\d{1,3})(?![\d.]*\d)/.exec(reply) ?? []
  if (code === undefined) return null
  const meaning = `${Number(subject)}.${Number(detail)}`
  return {
    code,
    kind: kind === '2' ? 'success' : kind === '4' ? 'for-now' : 'for-good',
    meaning: statusMeanings.has(meaning) ? meaning : /^[0-7]$/.test(subject) ? subject : '0',
  }
}
