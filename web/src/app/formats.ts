/** Kept by what they were made of: making a format takes fifty times as long as using it, and every line of a list asks for some. */
function kept<A extends readonly unknown[], F>(make: (...args: A) => F): (...args: A) => F {
  const made = new Map<string, F>()
  return (...args) => {
    const key = JSON.stringify(args)
    const one = made.get(key) ?? make(...args)
    made.set(key, one)
    return one
  }
}

export const dateFormat = kept(
  (locale: string, options: Intl.DateTimeFormatOptions) => new Intl.DateTimeFormat(locale, options),
)

export const numberFormat = kept(
  (locale: string, options: Intl.NumberFormatOptions = {}) => new Intl.NumberFormat(locale, options),
)

/** 'a, b and c', or with 'or'. */
export const listFormat = kept(
  (locale: string, type: 'conjunction' | 'disjunction') => new Intl.ListFormat(locale, { type }),
)
