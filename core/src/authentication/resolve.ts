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
