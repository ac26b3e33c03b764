import type { z } from 'zod'
import type { OperationName, OperationNamed } from '../contract/api.ts'
import { CALLS } from '../contract/calls.ts'
import type { Problem } from '../contract/problems.ts'
import type { InWords } from '../words/index.ts'
import { onceRead } from './being-read.ts'
import { Refusal } from './refusal.ts'

export { Refusal }

/** The server cannot be reached, or its database: what was done is kept and tried again. */
export const isAway = (error: unknown): boolean =>
  error instanceof Refusal && (error.fault === 'offline' || error.fault === 'database-away' || error.fault === 'studio-away')

type IdOf<O> = O extends { path: `${string}{id}${string}` } ? { readonly id: string } : object
type QueryOf<O> = O extends { query: infer Q extends z.ZodType }
  ? object extends z.input<Q>
    ? { readonly query?: z.input<Q> }
    : { readonly query: z.input<Q> }
  : object
type BodyOf<O> = O extends { body: infer B extends z.ZodType }
  ? { readonly body: z.input<B> }
  : O extends { media: { body: 'multipart/form-data' } }
    ? { readonly body: FormData }
    : O extends { media: { body: string } }
      ? { readonly body: Blob }
      : object

/** What an operation is called with: of one thing its id, the query, the body. */
export type InputOf<N extends OperationName> = IdOf<OperationNamed<N>> & QueryOf<OperationNamed<N>> & BodyOf<OperationNamed<N>>
/** What it answers, in words; null where it answers nothing. */
export type AnswerOf<N extends OperationName> =
  OperationNamed<N> extends { answer: infer A extends z.ZodType } ? InWords<z.output<A>> : null

/** An input of any operation. */
interface Given {
  readonly id?: string
  readonly query?: object
  readonly body?: unknown
}

/** Names of writes of which nobody knows whether they arrived, by what was asked: the same again is the same write, and is carried out once. */
const unsure = new Map<string, string>()
const UNSURE_MAX = 200

/** Writes that are on their way: a second click on what started one gets the answer to the first. */
const underWay = new Map<string, Promise<unknown>>()
const listeners = new Set<() => void>()

/** Hears that something was written, once the answer is here. @returns how to stop hearing */
export function onWritten(listener: () => void): () => void {
  listeners.add(listener)
  return () => listeners.delete(listener)
}

/** Calls an operation of the API by its name; the same write twice at once is sent once. @throws Refusal */
export function call<N extends OperationName>(name: N, input: InputOf<N>, signal?: AbortSignal): Promise<AnswerOf<N>>
export function call(name: OperationName, input: object, signal?: AbortSignal): Promise<unknown> {
  const { method, isQuestion, bodyType } = CALLS[name]
  if (method === 'get' || bodyType !== undefined) return answered(name, input, signal)
  const key = `${name} ${JSON.stringify(input)}`
  const known = underWay.get(key)
  if (known !== undefined) return known
  const sent = answered(name, input, signal).finally(() => underWay.delete(key))
  underWay.set(key, sent)
  if (isQuestion !== true) void sent.then(tellWritten, () => {})
  return sent
}

function tellWritten(): void {
  for (const listener of listeners) listener()
}

/** Where an operation is called, for a link that downloads what it answers. */
export function addressOf<N extends OperationName>(name: N, input: InputOf<N>): string
export function addressOf(name: OperationName, input: object): string {
  return `/api/v1${pathOf(name, input)}`
}

function pathOf(name: OperationName, input: object): string {
  const { id = '', query }: Given = input
  const said = Object.entries(query ?? {}).flatMap(([key, value]) => (value === undefined ? [] : [[key, String(value)]]))
  return CALLS[name].path.replace('{id}', encodeURIComponent(id)) + (said.length === 0 ? '' : `?${new URLSearchParams(said)}`)
}

async function answered(name: OperationName, input: object, signal?: AbortSignal): Promise<unknown> {
  try {
    const response = await onceRead(() => reach(name, input, signal), signal)
    if (CALLS[name].bodyType !== undefined) tellWritten()
    return response.status === 204 ? null : await response.json()
  } catch (error) {
    if (error instanceof Refusal && error.fault === 'not-signed-in')
      location.assign(`/sign-in?next=${encodeURIComponent(location.pathname)}`)
    throw error
  }
}

/** @throws Refusal where the answer is none that was asked for */
async function reach(name: OperationName, input: object, signal?: AbortSignal): Promise<Response> {
  const { method, bodyType } = CALLS[name]
  const { body }: Given = input
  const key = method === 'get' || body instanceof FormData || body instanceof Blob ? null : `${name} ${JSON.stringify(input)}`
  const writeName = key === null ? null : (unsure.get(key) ?? crypto.randomUUID())
  let response: Response
  try {
    response = await fetch(`/api/v1${pathOf(name, input)}`, {
      method: method.toUpperCase(),
      ...(signal === undefined ? {} : { signal }),
      ...(body === undefined ? {} : body instanceof FormData || body instanceof Blob ? { body } : { body: JSON.stringify(body) }),
      headers: {
        ...(body === undefined || body instanceof FormData
          ? {}
          : { 'Content-Type': body instanceof Blob ? (bodyType ?? body.type) : 'application/json' }),
        ...(writeName === null ? {} : { 'Idempotency-Key': writeName }),
      },
    })
    if (key !== null) unsure.delete(key)
  } catch (error) {
    if (error instanceof DOMException && error.name === 'AbortError') throw error
    if (key !== null && writeName !== null && unsure.size < UNSURE_MAX) unsure.set(key, writeName)
    throw new Refusal('offline', 'Map Rope cannot be reached. Is the computer online, and the server running?')
  }
  if (!response.ok) throw await refusalIn(response)
  return response
}

async function refusalIn(response: Response): Promise<Refusal> {
  const problem = (await response.json().catch(() => null)) as Problem | null
  if (problem === null) return new Refusal('offline', `Map Rope answered in a way nobody understands (${response.status}).`)
  const number = problem.id === undefined || problem.status < 500 ? '' : ` Its number is ${problem.id}.`
  return new Refusal(
    problem.fault,
    (problem.detail === undefined ? problem.title : `${problem.title} ${capital(problem.detail)}`) + number,
    problem.facts,
  )
}

/** Calls an operation that answers in lines, and hands them over as they come in. For threads too. @throws Refusal */
export async function* callLines<N extends OperationName>(name: N, input: InputOf<N>, signal: AbortSignal): AsyncGenerator<string> {
  const response = await reach(name, input, signal)
  if (response.body === null) return
  const reader = response.body.pipeThrough(new TextDecoderStream()).getReader()
  let rest = ''
  for (;;) {
    const { value, done } = await reader.read()
    if (done) break
    const parts = (rest + value).split('\n')
    rest = parts.pop() ?? ''
    yield* parts
  }
}

/** Says a last word to an operation while the page goes away; nobody hears the answer. */
export function tellLeaving<N extends OperationName>(name: N, input: InputOf<N>): void
export function tellLeaving(name: OperationName, input: object): void {
  const { body }: Given = input
  navigator.sendBeacon(`/api/v1${pathOf(name, input)}`, new Blob([JSON.stringify(body)], { type: 'application/json' }))
}

const capital = (text: string): string => `${text.charAt(0).toUpperCase()}${text.slice(1)}${/[.!?”]$/.test(text) ? '' : '.'}`

/** The words of whatever went wrong. */
export const wordsOf = (error: unknown): string => (error instanceof Error ? error.message : 'Something went wrong.')
