/** Answers remembered, what they hold together, and for how long: whoever lost a connection asks again within minutes. */
const KEPT_MAX = 5_000
const KEPT_MAX_CHARS = 8_000_000
const KEPT_MS = 15 * 60_000
/** Of one answer; a longer one is not remembered, and a repeat of its request is carried out again. */
const BODY_MAX_CHARS = 200_000

interface Kept {
  readonly at: number
  /** What it holds, its name with it; 0 before the answer is there. */
  chars: number
  readonly answer: Promise<{
    readonly status: number
    readonly headers: readonly (readonly [string, string])[]
    readonly body: string
  } | null>
}

/**
 * Carries each request out once that names itself (the IETF draft "The Idempotency-Key HTTP Header Field"): a repeat, sent because
 * nobody knew whether the first one had arrived, gets the answer to the first. What broke down is not remembered.
 */
export class AnsweredOnce {
  readonly #kept = new Map<string, Kept>()
  #chars = 0
  readonly #now: () => number

  /** @param now - the time in milliseconds, for tests */
  constructor(now: () => number = Date.now) {
    this.#now = now
  }

  /** @param name - of the request, by whoever sends it; null carries it out in any case */
  async answer(who: string, name: string | null, work: () => Promise<Response>): Promise<Response> {
    if (name === null || name.length > 100) return work()
    const key = `${who} ${name}`
    const known = this.#kept.get(key)
    if (known !== undefined && this.#now() - known.at < KEPT_MS) {
      const answer = await known.answer
      if (answer !== null)
        return new Response(answer.status === 204 ? null : answer.body, {
          status: answer.status,
          headers: answer.headers.map(([name, value]): [string, string] => [name, value]),
        })
      return work()
    }
    const first = work()
    const answer = first.then(copyOf, () => null)
    this.#put(key, answer)
    const response = await first
    const copy = await answer
    if (copy === null) this.#forget(key)
    else this.#holds(key, copy.body.length + key.length)
    return response
  }

  #forget(key: string): void {
    this.#chars -= this.#kept.get(key)?.chars ?? 0
    this.#kept.delete(key)
  }

  #holds(key: string, chars: number): void {
    const kept = this.#kept.get(key)
    if (kept === undefined) return
    this.#chars += chars - kept.chars
    kept.chars = chars
    this.#makeRoom()
  }

  #put(key: string, answer: Kept['answer']): void {
    this.#forget(key)
    this.#kept.set(key, { at: this.#now(), chars: 0, answer })
    this.#makeRoom()
  }

  #makeRoom(): void {
    for (const [oldest, { at }] of this.#kept) {
      if (this.#kept.size <= KEPT_MAX && this.#chars <= KEPT_MAX_CHARS && this.#now() - at < KEPT_MS) break
      this.#forget(oldest)
    }
  }
}

async function copyOf(response: Response): Promise<Awaited<Kept['answer']>> {
  if (response.status >= 500 || !/json/.test(response.headers.get('content-type') ?? 'json')) return null
  const body = await response.clone().text()
  return body.length > BODY_MAX_CHARS ? null : { status: response.status, headers: [...response.headers], body }
}
