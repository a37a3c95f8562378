/** Stands for a dollar sign before a brace until it is known whether variables are read in strings (RFC 5229 §3). */
export const dollar = '\uE000'

/** A string of Sieve. RFC 5228 §2.4.2: only the quote and the backslash are escaped. */
export const quoted = (text: string): string =>
  `"${text.replaceAll(dollar, '').replaceAll('${', `${dollar}{`).replace(/[\\"]/g, '\\$&')}"`
