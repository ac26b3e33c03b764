import { useEffect, useRef, useState, useSyncExternalStore } from 'react'
import type { DestinationGroup, PlacementAnswer, PlacementQuery, ShownExample } from '../../core/placements/index.ts'
import type { Impact, Rule, Unheard } from '../../core/rules/index.ts'
import type { Details, FromEngine, Row, ToEngine } from './messages.ts'

export interface EngineState {
  /** Rows that have come in so far, by index. */
  readonly rows: readonly Row[]
  readonly total: number
  readonly isLoaded: boolean
  readonly answer: (PlacementAnswer & { readonly groups: readonly DestinationGroup[] | null }) | null
  readonly impact: {
    readonly impact: Impact<ShownExample>
    readonly unheard: readonly Unheard[]
    readonly ms: number
    readonly of: string
  } | null
  readonly details: { readonly index: number; readonly details: Details } | null
  readonly partners: Readonly<Record<string, string>>
  readonly rules: Readonly<Record<string, string>>
  readonly failure: string | null
}

const EMPTY: EngineState = {
  rows: [],
  total: 0,
  isLoaded: false,
  answer: null,
  impact: null,
  details: null,
  partners: {},
  rules: {},
  failure: null,
}

/** The screen's end of the thread that holds all placements. */
export class Engine {
  state: EngineState = EMPTY
  readonly #worker: Worker
  readonly #listeners = new Set<() => void>()
  #rows: Row[] = []
  #id = 0
  #asked = new Map<number, string | number>()

  constructor() {
    this.#worker = new Worker(new URL('./engine.worker.ts', import.meta.url), { type: 'module' })
    this.#worker.onmessage = ({ data }: MessageEvent<FromEngine>) => this.#hear(data)
    this.#worker.onerror = () => this.#show({ failure: 'This browser could not start the work in the background. Reload the page.' })
    this.#send({ type: 'load' })
  }

  subscribe = (listener: () => void): (() => void) => {
    this.#listeners.add(listener)
    return () => this.#listeners.delete(listener)
  }
  snapshot = (): EngineState => this.state

  ask(query: PlacementQuery, isGrouped: boolean): void {
    this.#send({ type: 'ask', id: ++this.#id, query, isGrouped })
  }

  /** @param key - names the list of rules; what is answered carries it */
  impact(rules: readonly Rule[], key: string): void {
    this.#asked.set(++this.#id, key)
    this.#send({ type: 'impact', id: this.#id, rules })
  }

  details(index: number): void {
    this.#asked.set(++this.#id, index)
    this.#send({ type: 'details', id: this.#id, index })
  }

  /** @param isForced - also where the server says that nothing has changed */
  refresh(isForced = false): void {
    this.#send({ type: 'refresh', isForced })
  }

  stop(): void {
    this.#worker.terminate()
  }

  #send(message: ToEngine): void {
    this.#worker.postMessage(message)
  }

  #hear(message: FromEngine): void {
    switch (message.type) {
      case 'started':
        this.#rows = []
        return this.#show({ ...message, rows: this.#rows, isLoaded: false, failure: null })
      case 'rows':
        // The list grows where it is: a new array for each part of a hundred thousand would be copied over and over.
        for (const [k, row] of message.rows.entries()) this.#rows[message.from + k] = row
        return this.#show({ rows: this.#rows })
      case 'loaded':
        return this.#show({ isLoaded: true, total: message.count })
      case 'answer':
        return this.#show({ answer: message })
      case 'impact': {
        const of = this.#asked.get(message.id)
        return this.#show({ impact: { ...message, of: String(of ?? '') } })
      }
      case 'details':
        return this.#show({ details: { index: Number(this.#asked.get(message.id) ?? -1), details: message.details } })
      case 'failed':
        return this.#show({ failure: message.why })
    }
  }

  #show(change: Partial<EngineState>): void {
    this.state = { ...this.state, ...change }
    for (const listener of this.#listeners) listener()
  }
}

/** One engine for a screen, looked after again whenever the screen comes back into sight. */
export function useEngine(): { engine: Engine | null; state: EngineState } {
  const [engine, setEngine] = useState<Engine | null>(null)
  const made = useRef<Engine | null>(null)
  useEffect(() => {
    const mine = new Engine()
    made.current = mine
    setEngine(mine)
    const onSight = (): void => {
      if (document.visibilityState === 'visible') mine.refresh()
    }
    document.addEventListener('visibilitychange', onSight)
    return () => {
      document.removeEventListener('visibilitychange', onSight)
      mine.stop()
    }
  }, [])
  const state = useSyncExternalStore(engine?.subscribe ?? noSubscription, engine?.snapshot ?? emptyState, emptyState)
  return { engine, state }
}
const noSubscription = (): (() => void) => () => {}
const emptyState = (): EngineState => EMPTY
