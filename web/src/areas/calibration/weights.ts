import type { CalibrationShape, Weighting } from '@pendro/contract'

type Row = CalibrationShape['weights']['table'][number]

/** A weight as people read it: with its sign, two decimals, and a bare 0 for none. */
export const signed = (n: number): string => (n === 0 ? '0' : `${n < 0 ? '−' : '+'}${Math.abs(n).toFixed(2)}`)

/** Whether two sets of weights that differ from the shipped ones are the same, in whatever order. */
export function isSameTable(a: Weighting['own'], b: Weighting['own']): boolean {
  const said = (own: Weighting['own']) =>
    JSON.stringify(Object.entries(own).sort(([x], [y]) => (x < y ? -1 : 1)))
  return said(a) === said(b)
}

/** The weights with one set to another value, held to where it may be; the shipped value is none of one's own. No number changes nothing. */
export function draftWith(
  own: Weighting['own'],
  { finding, shipped, from, to }: Row,
  weight: number,
): Weighting['own'] {
  if (!Number.isFinite(weight) || from === null || to === null) return own
  const held = Math.round(Math.max(from, Math.min(to, weight)) * 100) / 100
  const others = Object.entries(own).filter(([name]) => name !== finding)
  return Object.fromEntries(held === shipped ? others : [...others, [finding, held]])
}
