import { expect, test } from 'vitest'
import { z } from 'zod'
import { endpoints } from '@pendro/contract/all-endpoints'
import type { Endpoint } from '@pendro/contract'

type Any = Endpoint<z.ZodType, z.ZodType, z.ZodType, z.ZodType>

/** Inner schemas of one, with what is added to its place. */
function partsOf(schema: z.ZodType): readonly (readonly [string, z.ZodType])[] {
  if (schema instanceof z.ZodObject)
    return Object.entries(schema.shape).map(([key, value]) => [`.${key}`, value as z.ZodType])
  if (schema instanceof z.ZodArray) return [['', schema.element as z.ZodType]]
  if (schema instanceof z.ZodOptional || schema instanceof z.ZodNullable || schema instanceof z.ZodDefault)
    return [['', schema.unwrap() as z.ZodType]]
  if (schema instanceof z.ZodUnion) return schema.options.map(option => ['', option as z.ZodType])
  if (schema instanceof z.ZodIntersection)
    return [
      ['', schema.def.left as z.ZodType],
      ['', schema.def.right as z.ZodType],
    ]
  if (schema instanceof z.ZodPipe) return [['', schema.in as z.ZodType]]
  return []
}

/** Where whole numbers from 1 on stand: numbers of rows, and some counts. */
function numbersIn(schema: z.ZodType, place: string): readonly string[] {
  if (schema instanceof z.ZodNumber) {
    const { type, exclusiveMinimum, minimum } = z.toJSONSchema(schema, { io: 'input' })
    return type === 'integer' && (exclusiveMinimum === 0 || minimum === 1) ? [place] : []
  }
  return partsOf(schema).flatMap(([more, part]) => numbersIn(part, `${place}${more}`))
}

/** Where departments are named. */
function departmentsIn(schema: z.ZodType, place: string): readonly string[] {
  if (schema instanceof z.ZodString) return place.endsWith('.department') ? [place] : []
  return partsOf(schema).flatMap(([more, part]) => departmentsIn(part, `${place}${more}`))
}

/** Numbers that name nothing of a department, or that are looked for among what does. */
const named: Readonly<Record<string, string>> = {
  days: 'a count',
  before: 'a place in the order in which mail of the department is decided again',
  limit: 'a count',
  weekdays: 'days of the week',
  selection: 'of the staffer who made it, and each delivery of it is asked for at the act',
  'change.id': 'looked for among the rules of the mailbox',
  'change.ids': 'looked for among the rules of the mailbox',
  rules: 'looked for among the rules of the mailbox',
  'change.was.digestsTo': 'who reads for a colleague meanwhile may be of another department',
  'change.to.digestsTo': 'who reads for a colleague meanwhile may be of another department',
}
const isNamed = (place: string) => {
  const [, ...rest] = place.split('.')
  return rest.join('.') in named || (rest.at(-1) ?? '') in { days: 1, limit: 1, weekdays: 1 }
}

const ofDepartments = Object.entries(endpoints as unknown as Readonly<Record<string, Any>>).filter(
  ([, { roles, scope }]) => Array.isArray(roles) && typeof scope === 'object',
)

test('every number that a request takes is kept to departments, or it is said why not', () => {
  const left = ofDepartments.flatMap(([name, { scope, params, query, body }]) =>
    [...numbersIn(params, 'params'), ...numbersIn(query, 'query'), ...numbersIn(body, 'body')]
      .filter(place => !(place in (scope as object)) && !isNamed(place))
      .map(place => `${name} ${place}`),
  )
  expect(left).toEqual([])
})

test('every place that is kept to departments is one of the request', () => {
  const wrong = ofDepartments.flatMap(([name, { scope, params, query, body }]) => {
    const there = [
      ...numbersIn(params, 'params'),
      ...numbersIn(query, 'query'),
      ...numbersIn(body, 'body'),
      ...departmentsIn(body, 'body'),
    ]
    return Object.keys(scope)
      .filter(place => !there.includes(place))
      .map(place => `${name} ${place}`)
  })
  expect(wrong).toEqual([])
})
