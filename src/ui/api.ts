import type { Fault, Problem } from '../contract/problems.ts'

/** A refusal of the API, or that it could not be reached. `message` is for people. */
export class Refusal extends Error {
  readonly fault: Fault | 'offline'
  readonly facts: Readonly<Record<string, unknown>>

  constructor(fault: Fault | 'offline', message: string, facts: Readonly<Record<string, unknown>> = {}) {
    super(message)
    this.name = 'Refusal'
    this.fault = fault
    this.facts = facts
  }
}

/** The server cannot be reached, or its database: what was done is kept and tried again. */
export const isAway = (error: unknown): boolean =>
  error instanceof Refusal && (error.fault === 'offline' || error.fault === 'database-away' || error.fault === 'studio-away')

/** Writes that are on their way: a second click on what started one gets the answer to the first. */
const underWay = new Map<string, Promise<unknown>>()

/** Asks the API; the same write twice at once is sent once. @param path - below /api/v1. @throws Refusal */
export function ask<T>(method: string, path: string, body?: unknown, signal?: AbortSignal): Promise<T> {
  if (method === 'GET' || body instanceof FormData) return send<T>(method, path, body, signal)
  const key = `${method} ${path} ${JSON.stringify(body)}`
  const known = underWay.get(key) as Promise<T> | undefined
  if (known !== undefined) return known
  const sent = send<T>(method, path, body, signal).finally(() => underWay.delete(key))
  underWay.set(key, sent)
  return sent
}

/** Sends a file, or a text, as it is. @throws Refusal */
export const sendText = <T>(method: string, path: string, body: Blob, contentType: string): Promise<T> =>
  answered<T>(path, { method, body, headers: { 'Content-Type': contentType } })

function send<T>(method: string, path: string, body?: unknown, signal?: AbortSignal): Promise<T> {
  return answered<T>(path, {
    method,
    ...(body === undefined
      ? {}
      : body instanceof FormData
        ? { body }
        : { body: JSON.stringify(body), headers: { 'Content-Type': 'application/json' } }),
    ...(signal === undefined ? {} : { signal }),
  })
}

async function answered<T>(path: string, request: RequestInit): Promise<T> {
  let response: Response
  try {
    response = await fetch(`/api/v1${path}`, request)
  } catch (error) {
    if (error instanceof DOMException && error.name === 'AbortError') throw error
    throw new Refusal('offline', 'Map Rope cannot be reached. Is the computer online, and the server running?')
  }
  if (response.ok) return (response.status === 204 ? null : await response.json()) as T
  const problem = (await response.json().catch(() => null)) as Problem | null
  if (problem === null) throw new Refusal('offline', `Map Rope answered in a way nobody understands (${response.status}).`)
  if (problem.fault === 'not-signed-in') location.assign(`/sign-in?next=${encodeURIComponent(location.pathname)}`)
  const number = problem.id === undefined || problem.status < 500 ? '' : ` Its number is ${problem.id}.`
  throw new Refusal(
    problem.fault,
    (problem.detail === undefined ? problem.title : `${problem.title} ${capital(problem.detail)}`) + number,
    problem.facts,
  )
}

/** Says a last word to the API while the page goes away; nobody hears the answer. */
export function tellLeaving(path: string, body: object): void {
  navigator.sendBeacon(`/api/v1${path}`, new Blob([JSON.stringify(body)], { type: 'application/json' }))
}

const capital = (text: string): string => `${text.charAt(0).toUpperCase()}${text.slice(1)}${/[.!?”]$/.test(text) ? '' : '.'}`

/** The words of whatever went wrong. */
export const wordsOf = (error: unknown): string => (error instanceof Error ? error.message : 'Something went wrong.')
