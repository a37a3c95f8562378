import { z } from 'zod'
import type { Endpoint } from './endpoint.ts'
import { endpoints } from './all-endpoints.ts'
import { problems, type ProblemCode } from './problems.ts'

type AnyEndpoint = Endpoint<z.ZodType, z.ZodType, z.ZodType, z.ZodType>
type JsonSchema = Record<string, unknown>

const schemaOf = (schema: z.ZodType): JsonSchema =>
  z.toJSONSchema(schema, { target: 'openapi-3.0', io: 'input', unrepresentable: 'any' })

/** The whole API as an OpenAPI 3.0 document, made from the same table the server mounts. */
export function openApiDocument(version: string): JsonSchema {
  const paths: Record<string, Record<string, JsonSchema>> = {}
  for (const [operationId, endpoint] of Object.entries(endpoints)) {
    const { method, path } = endpoint
    paths[path] = { ...paths[path], [method]: operation(operationId, endpoint as unknown as AnyEndpoint) }
  }
  return {
    openapi: '3.0.3',
    info: {
      title: 'Pendro',
      version,
      description:
        'Review, rulings, sender lists, digests and the record. Writes need the session cookie and its token in X-Pendro-Token, or a key.',
    },
    paths,
    components: {
      securitySchemes: {
        session: { type: 'apiKey', in: 'cookie', name: 'pendro_session' },
        colleague: { type: 'apiKey', in: 'cookie', name: 'pendro_colleague' },
        key: { type: 'http', scheme: 'bearer', bearerFormat: 'pendro_key_…' },
      },
      schemas: {
        Problem: {
          type: 'object',
          required: ['code', 'text'],
          properties: {
            code: { type: 'string', enum: Object.keys(problems) },
            text: { type: 'string' },
            facts: { type: 'object' },
          },
        },
      },
    },
  }
}

function operation(operationId: string, endpoint: AnyEndpoint): JsonSchema {
  return {
    operationId,
    summary: endpoint.summary,
    ...accessOf(endpoint),
    parameters: [...parameters('path', endpoint.params), ...parameters('query', endpoint.query)],
    ...bodyOf(endpoint),
    responses: {
      200: { description: 'Done', content: answerOf(endpoint) },
      ...problemResponses(endpoint.problems as readonly ProblemCode[]),
    },
  }
}

function accessOf({ roles }: AnyEndpoint): JsonSchema {
  if (roles === 'anyone') return {}
  return roles === 'colleague'
    ? { security: [{ colleague: [] }], description: 'Roles: colleague.' }
    : { security: [{ session: [] }, { key: [] }], description: `Roles: ${roles.join(', ')}.` }
}

const binary: JsonSchema = { type: 'string', format: 'binary' }

function bodyOf({ body, takes }: AnyEndpoint): JsonSchema {
  if (takes !== undefined)
    return { requestBody: { required: true, content: { [takes]: { schema: binary } } } }
  const schema = schemaOf(body)
  const { properties, anyOf, allOf } = schema
  const hasBody = Boolean(anyOf ?? allOf) || Object.keys((properties as object | undefined) ?? {}).length > 0
  return hasBody ? { requestBody: { required: true, content: { 'application/json': { schema } } } } : {}
}

function answerOf({ response, gives }: AnyEndpoint): JsonSchema {
  if (gives === undefined) return { 'application/json': { schema: schemaOf(response) } }
  return Object.fromEntries(gives.map(type => [type, { schema: formOf(type) }]))
}

const formOf = (type: string): JsonSchema => {
  if (type === 'application/json') return {}
  return type.startsWith('text/') ? { type: 'string' } : binary
}

function parameters(place: 'path' | 'query', schema: z.ZodType): readonly JsonSchema[] {
  const { properties = {}, required = [] } = schemaOf(schema) as {
    properties?: Record<string, JsonSchema>
    required?: string[]
  }
  return Object.entries(properties).map(([name, property]) => ({
    name,
    in: place,
    required: place === 'path' || required.includes(name),
    schema: property,
  }))
}

function problemResponses(codes: readonly ProblemCode[]): Record<string, JsonSchema> {
  const byStatus = new Map<number, string[]>()
  for (const code of codes) {
    const { status, text } = problems[code]
    byStatus.set(status, [...(byStatus.get(status) ?? []), `${code}: ${text}`])
  }
  const content = { 'application/json': { schema: { $ref: '#/components/schemas/Problem' } } }
  return Object.fromEntries(
    [...byStatus].map(([status, texts]) => [String(status), { description: texts.join(' '), content }]),
  )
}
