/** The single values in a setting, with the name of the field they stand in; lists have no names for theirs. */
function valuesIn(value: unknown, name = ''): readonly string[] {
  if (Array.isArray(value)) return value.flatMap(one => valuesIn(one, name))
  if (typeof value === 'object' && value !== null)
    return Object.entries(value).flatMap(([key, one]) => valuesIn(one, key))
  return value === ''
    ? []
    : [name === '' || typeof value === 'string' ? String(value) : `${name}: ${String(value)}`]
}

/** What one value of a setting has that another has not: `gone` would be lost, `come` would be new. */
export function differenceOf(
  now: unknown,
  mine: unknown,
): { readonly gone: readonly string[]; readonly come: readonly string[] } {
  const [there, wanted] = [valuesIn(now), valuesIn(mine)]
  return {
    gone: there.filter(value => !wanted.includes(value)),
    come: wanted.filter(value => !there.includes(value)),
  }
}
