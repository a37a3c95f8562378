import type { z } from 'zod'

/**
 * A filter as it stands in an address, read by the contract's own schema, part by part: a part that the server would refuse is
 * as if it were not there, so that an address mended by hand still shows something..
 */
export function readFilterBy<Shape extends z.ZodRawShape>(
  shape: Shape,
  search: URLSearchParams,
): z.output<z.ZodObject<Shape>> {
  const parts = Object.entries(shape).flatMap(([name, schema]) => {
    const field = schema as z.ZodType
    const read = field.safeParse(search.get(name) ?? undefined)
    const value = read.success ? read.data : field.safeParse(undefined).data
    return value === undefined || value === '' ? [] : [[name, value]]
  })
  return Object.fromEntries(parts) as z.output<z.ZodObject<Shape>>
}
