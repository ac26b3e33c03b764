import type { APIContext, APIRoute } from 'astro'
import type { z } from 'zod'
import { ONE_FILE_MAX_BYTES } from '../../../contract/files.ts'
import { BODY_LIMITS, mayAsk, type Operation } from '../../../contract/operation.ts'
import { isFault, problemOf } from '../../../contract/problems.ts'
import { toldBy } from '../../../contract/shared.ts'
import { type FaultDetail, fail, ok, type Result } from '../../../core/result.ts'
import type { Actor, Services } from '../../../services/index.ts'
import { inWords, tell } from '../../../words/index.ts'
import { takeUpload } from './_form.ts'

type Input<S> = S extends z.ZodType ? z.infer<S> : undefined

/** What is answered is written out and no more: lists that may not be changed do as well. */
type Readable<T> = T extends readonly (infer Each)[]
  ? readonly Readable<Each>[]
  : T extends object
    ? { readonly [K in keyof T]: Readable<T[K]> }
    : T
/** What an endpoint must hand over: what the contract says, or, where that is not JSON, a response of its own. */
type Answered<O extends Operation> = O extends { answer: infer A extends z.ZodType } ? Readable<z.input<A>> : Response

interface Call<O extends Operation> {
  readonly actor: Actor
  readonly services: Services
  readonly body: Input<O['body']>
  readonly query: Input<O['query']>
  /** The path's {id}; "" where it has none. */
  readonly id: string
  readonly request: Request
}

/** A refusal as RFC 9457 problem details. A 409 also carries what stands there now. */
export function problem(fault: string, detail: FaultDetail = {}, id?: string): Response {
  const body = inWords(problemOf(isFault(fault) ? fault : 'internal', detail, id))
  const headers: Record<string, string> = { 'Content-Type': 'application/problem+json' }
  if (typeof detail.retryAfterSeconds === 'number') headers['Retry-After'] = String(detail.retryAfterSeconds)
  return new Response(JSON.stringify(body), { status: body.status, headers })
}

/** An endpoint: parses by the contract, calls one service, answers. */
export function answer<O extends Operation>(operation: O, call: (call: Call<O>) => Promise<Result<Answered<O>>>): APIRoute {
  return async (context) => {
    const { actor, services } = context.locals
    if (actor === null) return problem('not-signed-in')
    if (!mayAsk(actor, operation)) return problem('forbidden')
    const id = context.params.id ?? ''
    if (operation.path.includes('{id}') && !/^[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i.test(id)) return problem('not-found')
    const body = await readBody(operation, context)
    if (body instanceof Response) return body
    if ([...context.url.searchParams].some((pair) => pair.join('').includes('\0')))
      return problem('invalid-body', { why: tell('field.nul-in-query') })
    const query = operation.query?.safeParse(Object.fromEntries(context.url.searchParams))
    if (query?.success === false) return invalid(query.error)
    const work = async (): Promise<Response> => {
      const result = await call({
        actor,
        services,
        body: body as Input<O['body']>,
        query: query?.data as Input<O['query']>,
        id,
        request: context.request,
      })
      if (!result.ok) return problem(result.fault, result.detail)
      const value: unknown = result.value
      if (value instanceof Response) return value
      return operation.status === 204 ? new Response(null, { status: 204 }) : Response.json(inWords(value), { status: operation.status })
    }
    const name = operation.method === 'get' ? null : context.request.headers.get('idempotency-key')
    const who = `${actor.siteId} ${actor.personId} ${actor.tokenId ?? ''} ${operation.method} ${context.url.pathname}${context.url.search}`
    return guarded(context, () => context.locals.once.answer(who, name, work))
  }
}

/** Errors that nobody expected: told with a number, never with their inside. A database that is away is its own case. */
export async function guarded({ locals }: Pick<APIContext, 'locals'>, work: () => Promise<Response>): Promise<Response> {
  try {
    return await work()
  } catch (error) {
    if (isDatabaseAway(error)) {
      locals.log.warn({ err: error, requestId: locals.requestId }, 'the database does not answer')
      return problem('database-away', {}, locals.requestId)
    }
    if (isTooSlow(error)) {
      locals.log.warn({ requestId: locals.requestId }, 'a query took too long and was given up')
      return problem('database-slow', {}, locals.requestId)
    }
    locals.log.error({ err: error, requestId: locals.requestId }, 'an endpoint failed')
    return problem('internal', {}, locals.requestId)
  }
}

/** Sequelize wraps what the driver below it throws. */
const causeOf = (error: Error): Error => ('original' in error && error.original instanceof Error ? error.original : error)
const codeOf = (error: Error): string => ('code' in error ? String(error.code) : '')

/** A query that was given up since it took too long (PostgreSQL, 57014 "query_canceled"). */
export const isTooSlow = (error: unknown): boolean => error instanceof Error && codeOf(causeOf(error)) === '57014'

/** Sequelize names its connection errors; the driver below it has codes (PostgreSQL class 57P: shutting down; sockets: ECONN…). */
export function isDatabaseAway(error: unknown): boolean {
  if (!(error instanceof Error)) return false
  if (/^Sequelize(?:Connection|HostNot|AccessDenied)/.test(error.name)) return true
  const original = causeOf(error)
  return /^(?:ECONN|EPIPE|57P0|08)/.test(codeOf(original)) || /Connection terminated|connection manager was closed/i.test(original.message)
}

/** The one file of a multipart request. */
export async function uploaded(
  request: Request,
): Promise<Result<{ name: string; bytes: Uint8Array }, 'upload-missing' | 'file-too-large'>> {
  const length = Number(request.headers.get('content-length') ?? 0)
  if (length > ONE_FILE_MAX_BYTES + FORM_MAX_BYTES) return fail('file-too-large', { bytes: length })
  const form = await takeUpload(request, async ({ name, bytes }) => {
    const pieces: Uint8Array[] = []
    for await (const piece of bytes) pieces.push(piece)
    return { name, bytes: Buffer.concat(pieces) }
  })
  return form?.taken == null ? fail('upload-missing') : ok(form.taken)
}

/** What a form adds around its file. */
const FORM_MAX_BYTES = 64 * 1024

async function readBody(operation: Operation, { request }: APIContext): Promise<unknown> {
  if (operation.body === undefined) return undefined
  const text = await request.text().catch(() => '')
  const { depth, values } = measured(text)
  if (depth > JSON_DEPTH_MAX) return problem('invalid-body', { why: tell('field.too-deep', { most: JSON_DEPTH_MAX }) })
  const most = BODY_LIMITS[operation.takes ?? 'facts'].values
  if (values > most) return problem('invalid-body', { why: tell('field.too-many', { most }) })
  const json = readJson(text)
  if (json === undefined) return problem('not-json')
  // PostgreSQL keeps no such character, and no editor has one to give.
  if (/\\u0000/.test(text) && holdsNul(json)) return problem('invalid-body', { why: tell('field.nul') })
  const read = operation.body.safeParse(json)
  return read.success ? read.data : invalid(read.error)
}

/** Deeper than any menu, rule or selection goes. */
const JSON_DEPTH_MAX = 200

/**
 * How deep a JSON text is nested, and how many values it has at most; read before it is parsed, since what walks it afterwards does
 * so by recursion, and asks each value.
 */
function measured(text: string): { depth: number; values: number } {
  let [depth, most, values, isInString] = [0, 0, 1, false]
  for (let i = 0; i < text.length; i++) {
    const c = text.charCodeAt(i)
    if (isInString) {
      if (c === 0x5c) i++
      else if (c === 0x22) isInString = false
    } else if (c === 0x22) isInString = true
    else if (c === 0x2c) values++
    else if (c === 0x5b || c === 0x7b) {
      most = Math.max(most, ++depth)
      values++
    } else if (c === 0x5d || c === 0x7d) depth--
  }
  return { depth: most, values }
}

function readJson(text: string): unknown {
  try {
    return JSON.parse(text)
  } catch {
    return undefined
  }
}

const holdsNul = (value: unknown): boolean =>
  typeof value === 'string'
    ? value.includes('\0')
    : typeof value === 'object' && value !== null && Object.entries(value).some(([key, each]) => key.includes('\0') || holdsNul(each))

function invalid(error: z.ZodError): Response {
  const issues = error.issues.map((issue) => ({ where: issue.path.join('.'), message: toldBy(issue) }))
  return problem('invalid-body', {
    why: tell('field.all-wrong', { issues: issues.map(({ where, message }) => tell('field.wrong', { where, why: message })) }),
    issues,
  })
}
