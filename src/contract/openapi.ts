import { extendZodWithOpenApi, OpenAPIRegistry, OpenApiGeneratorV31 } from '@asteasolutions/zod-to-openapi'
import { z } from 'zod'
import { OPERATIONS } from './api.ts'
import type { Operation } from './operation.ts'

extendZodWithOpenApi(z)

const Problem = z
  .object({
    type: z.string(),
    title: z.string(),
    status: z.int(),
    detail: z.string().optional(),
    fault: z.string(),
    facts: z.record(z.string(), z.unknown()).optional(),
    id: z.string().optional(),
  })
  .meta({ id: 'Problem', description: 'RFC 9457 problem details; `fault` is for programs, `title` and `detail` are for people' })

/** What a form brings: a file, and what is to be done with it. */
const UPLOAD = z.object({ file: z.string().meta({ format: 'binary' }), dryRun: z.boolean().optional(), leaveOff: z.string().optional() })

/** The OpenAPI 3.1 document, made from the same table that the endpoints parse by. */
export function openApiDocument(): object {
  const registry = new OpenAPIRegistry()
  registry.registerComponent('securitySchemes', 'token', { type: 'http', scheme: 'bearer' })
  for (const [operationId, each] of OPERATIONS) registerOperation(registry, operationId, each)
  return new OpenApiGeneratorV31(registry.definitions).generateDocument({
    openapi: '3.1.0',
    info: {
      title: 'Map Rope',
      version: '1',
      description: 'Looks after every link of a website. Every change through this API has the same checks as through the screen.',
    },
    servers: [{ url: '/api/v1' }],
    security: [{ token: [] }],
  })
}

function registerOperation(
  registry: OpenAPIRegistry,
  operationId: string,
  { method, path, summary, needs, status, body, query, answer, media }: Operation,
): void {
  const ids = [...path.matchAll(/\{(\w+)\}/g)].map(([, name]) => name ?? '')
  const content =
    media?.answer === undefined
      ? answer === undefined || status === 204
        ? undefined
        : { 'application/json': { schema: answer } }
      : { [media.answer]: { schema: z.string().meta({ format: 'binary' }) } }
  registry.registerPath({
    method,
    path,
    summary,
    ...(needs === null ? {} : { description: `Needs ${[needs].flat().join(', ')}.` }),
    operationId,
    request: {
      ...(ids.length > 0 ? { params: z.object(Object.fromEntries(ids.map((id) => [id, z.uuid()]))) } : {}),
      ...(query instanceof z.ZodObject ? { query } : {}),
      ...(body !== undefined ? { body: { content: { 'application/json': { schema: body } } } } : {}),
      ...(media?.body !== undefined
        ? {
            body: {
              content: {
                [media.body]: { schema: media.body === 'multipart/form-data' ? UPLOAD : z.string() },
              },
            },
          }
        : {}),
    },
    responses: {
      [status]: { description: summary, ...(content === undefined ? {} : { content }) },
      default: { description: 'A refusal, with its reason', content: { 'application/problem+json': { schema: Problem } } },
    },
  })
}
