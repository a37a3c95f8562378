/** Looks up DNS records in the form of Node's `dns.promises.resolve`; rejects with its `code`s (ENOTFOUND, ENODATA, ETIMEOUT, …). */
export type Resolve = (name: string, type: string) => Promise<unknown>

const failure = (code: string, name: string) => Object.assign(new Error(`${code} ${name}`), { code })

/** The same look-ups, each given up with ETIMEOUT after `limit` ms. */
export function withTimeLimit(resolve: Resolve, limit: number): Resolve {
  return (name, type) =>
    new Promise((done, fail) => {
      const timer = setTimeout(() => fail(failure('ETIMEOUT', name)), limit)
      resolve(name, type)
        .then(done, fail)
        .finally(() => clearTimeout(timer))
    })
}

const most = 5000

/** Answers, and the answer that there is none, are kept for `keep` ms; failures are asked again. */
export function cachedResolver(resolve: Resolve, keep: number, now: () => number): Resolve {
  const known = new Map<string, { until: number; answer: Promise<unknown> }>()
  return (name, type) => {
    const key = `${type} ${name.toLowerCase()}`
    const found = known.get(key)
    if (found && found.until > now()) return found.answer
    if (known.size >= most) known.clear()
    const answer = resolve(name, type)
    known.set(key, { until: now() + keep, answer })
    answer.catch((error: { code?: string }) => {
      if (error.code !== 'ENOTFOUND' && error.code !== 'ENODATA') known.delete(key)
    })
    return answer
  }
}

const codeOf = (error: unknown) => (error as { code?: string }).code ?? ''

/** The name has no such record: an answer, not a failure. */
export const isVoid = (error: unknown): boolean => ['ENOTFOUND', 'ENODATA'].includes(codeOf(error))

/** Asking again would not help: the name can't be asked for, or too much was asked already. */
export const isPermanent = (error: unknown): boolean =>
  ['EBADNAME', 'EBADQUERY', 'ELIMIT'].includes(codeOf(error))

/** What one message may have looked up: SPF up to ten terms with their hosts, eight keys, DMARC, a chain of seals. */
const mostLookUps = 60

/**
 * The same look-ups for one message: names that DNS can't hold (RFC 1035 §2.3.4) fail for good, and so does everything
 * beyond the bound. Otherwise a label that is too long would be a "temporary" error that never ends.
 */
export function boundedResolver(resolve: Resolve): Resolve {
  let asked = 0
  return async (name, type) => {
    const labels = name.replace(/\.$/, '').split('.')
    if (
      name.length > 254 ||
      labels.some(label => label === '' || label.length > 63 || /[^\x21-\x7e]/.test(label))
    )
      throw failure('EBADNAME', name.slice(0, 80))
    asked += 1
    if (asked > mostLookUps) throw failure('ELIMIT', name)
    return resolve(name, type)
  }
}
