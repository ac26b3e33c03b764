import type { Logger } from 'pino'
import type { ClickLog } from './click-log.ts'
import type { SnapshotStore } from './snapshot.ts'
import type { Visitors } from './visitor.ts'

/** What delivery answers with. */
export interface Delivery {
  readonly store: SnapshotStore
  readonly clicks: ClickLog
  readonly visitors: Visitors
  readonly log: Logger
}
