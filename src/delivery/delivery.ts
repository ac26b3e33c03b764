import type { Logger } from 'pino'
import type { ClickLog } from './click-log.ts'
import type { DeliveredPages } from './delivered-pages.ts'
import type { DeliveryStore } from './store/index.ts'
import type { Visitors } from './visitor.ts'

/** What delivery answers with. */
export interface Delivery {
  readonly store: DeliveryStore
  readonly pages: DeliveredPages
  readonly clicks: ClickLog
  readonly visitors: Visitors
  readonly log: Logger
  /** How long the site behind a front door may take to begin its answer; half a minute when left out. */
  readonly doorTimeoutMs?: number | undefined
}
