import pino from 'pino'
import { ClickLog } from '../../src/delivery/click-log.ts'
import { DeliveredPages } from '../../src/delivery/delivered-pages.ts'
import type { Delivery } from '../../src/delivery/delivery.ts'
import { DeliveryStore, Follower, StorePlaces } from '../../src/delivery/store/index.ts'
import { Visitors } from '../../src/delivery/visitor.ts'
import type { World } from './world.ts'

const log = pino({ level: 'silent' })

/** A machine that delivers what a world holds. */
export interface Delivering {
  readonly delivery: Delivery
  readonly follower: Follower
  /** After this the store is as the database is. @param isAnew - also where something was changed past the log */
  refresh(isAnew?: boolean): Promise<void>
  stop(): Promise<void>
}

/** @param folder - of that machine @param isAway - its database does not answer */
export async function deliver(
  world: World,
  { folder = world.folder, doorTimeoutMs, isAway = false }: { folder?: string; doorTimeoutMs?: number; isAway?: boolean } = {},
): Promise<Delivering> {
  const places = new StorePlaces(folder)
  const follower = new Follower(world.db, places, log)
  if (!isAway) await follower.catchUp()
  const following = follower.run()
  const store = new DeliveryStore(places, { port: world.settings.port, log })
  const clicks = new ClickLog(folder, log)
  return {
    delivery: { store, pages: new DeliveredPages(store, log), clicks, visitors: new Visitors(folder, new Set()), log, doorTimeoutMs },
    follower,
    async refresh(isAnew = false) {
      await (isAnew ? follower.rebuild() : follower.catchUp())
      store.look()
    },
    async stop() {
      await follower.stop()
      await following
      await store.close()
      clicks.close()
    },
  }
}
