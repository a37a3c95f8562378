/** The answer of every `parseX`: the value, or the problem as data. The sentence is made at the edge. */
export type Parsed<T, P> =
  | { readonly ok: true; readonly value: T }
  | { readonly ok: false; readonly problem: P }

/** The good answer of a `parseX`. */
export const yes = <T>(value: T): { readonly ok: true; readonly value: T } => ({ ok: true, value })
/** The other answer, with its problem. */
export const no = <P>(problem: P): { readonly ok: false; readonly problem: P } => ({ ok: false, problem })
