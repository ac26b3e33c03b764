import { useEffect, useState, useSyncExternalStore } from 'react'
import type { PlacementQuery } from '../../core/placements/index.ts'
import type { RulesDraft } from '../../core/rules/index.ts'
import { onChanges } from '../../ui/changes.ts'
import { FarList } from './far.ts'
import type { FromEngine, ShownRow, ToEngine } from './messages.ts'
import { EMPTY, type EngineState } from './state.ts'

/** The screen's end of the thread that holds all placements; of a very large site, of the server. */
export class Engine {
  state: EngineState = EMPTY
  readonly #worker: Worker
  readonly #listeners = new Set<() => void>()
  #rows: ShownRow[] = []
  #id = 0
  #asked = new Map<number, string | number>()
  #lastAsk: { readonly query: PlacementQuery; readonly isGrouped: boolean } | null = null
  #lastImpact: { readonly draft: RulesDraft; readonly key: string } | null = null
  #far: FarList | null = null
  /** Rows are chosen by their place: where they are far, the list stays as it is meanwhile. */
  isHeld = false

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
    this.#lastAsk = { query, isGrouped }
    if (this.#far !== null) this.#far.ask(query, isGrouped)
    else this.#send({ type: 'ask', id: ++this.#id, query, isGrouped })
  }

  /** Makes sure that a stretch of the list is here. */
  async need(from: number, to: number): Promise<void> {
    await this.#far?.need(from, to)
  }

  /** @param key - names the list of rules; what is answered carries it */
  impact(draft: RulesDraft, key: string): void {
    this.#lastImpact = { draft, key }
    if (this.#far !== null) return void this.#far.impact(draft, key)
    this.#asked.set(++this.#id, key)
    this.#send({ type: 'impact', id: this.#id, draft })
  }

  details(index: number): void {
    if (this.#far !== null) return void this.#far.details(index)
    this.#asked.set(++this.#id, index)
    this.#send({ type: 'details', id: this.#id, index })
  }

  /** Takes over what has changed on the server. */
  refresh(): void {
    if (this.#far === null) this.#send({ type: 'refresh' })
    else if (!this.isHeld) this.#far.refresh()
  }

  stop(): void {
    this.#worker.terminate()
    this.#far?.stop()
  }

  #send(message: ToEngine): void {
    this.#worker.postMessage(message)
  }

  #hear(message: FromEngine): void {
    switch (message.type) {
      case 'started':
        this.#rows = []
        this.#show({ ...message, rows: this.#rows, isLoaded: false, failure: null })
        if (message.isLarge) this.#goFar()
        return
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

  #goFar(): void {
    this.#worker.terminate()
    this.#far = new FarList((change) => this.#show(change))
    this.#show({ isFar: true, isLoaded: true })
    if (this.#lastAsk !== null) this.#far.ask(this.#lastAsk.query, this.#lastAsk.isGrouped)
    if (this.#lastImpact !== null) void this.#far.impact(this.#lastImpact.draft, this.#lastImpact.key)
  }

  #show(change: Partial<EngineState>): void {
    this.state = { ...this.state, ...change }
    for (const listener of this.#listeners) listener()
  }
}

/** One engine for a screen, which follows what is changed elsewhere. */
export function useEngine(): { engine: Engine | null; state: EngineState } {
  const [engine, setEngine] = useState<Engine | null>(null)
  useEffect(() => {
    const mine = new Engine()
    setEngine(mine)
    const unfollow = onChanges(() => mine.refresh())
    const onSight = (): void => {
      if (document.visibilityState === 'visible') mine.refresh()
    }
    document.addEventListener('visibilitychange', onSight)
    return () => {
      unfollow()
      document.removeEventListener('visibilitychange', onSight)
      mine.stop()
    }
  }, [])
  const state = useSyncExternalStore(engine?.subscribe ?? noSubscription, engine?.snapshot ?? emptyState, emptyState)
  return { engine, state }
}
const noSubscription = (): (() => void) => () => {}
const emptyState = (): EngineState => EMPTY
