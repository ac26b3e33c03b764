import type { Logger } from 'pino'
import { parseUrl } from '../core/address/index.ts'
import { isBroken } from '../core/checks/index.ts'
import type { Database } from '../data/database.ts'
import { noteWatched, watchedShortLinks } from '../data/short-link-watch.ts'
import { write } from '../services/context.ts'
import type { Services } from '../services/index.ts'

/** A destination that has a fallback is asked this often, at most so many at a time. */
const EVERY_SECONDS = 120
const AT_ONCE = 100
/** One that failed is asked once more before visitors are sent elsewhere. */
const AGAIN_MS = 3_000

/** Visits the destinations that have a fallback, and sends visitors there while they are broken, or back. */
export async function watchShortLinks(db: Database, visits: Services['visits'], log: Logger): Promise<void> {
  const links = await watchedShortLinks(db, EVERY_SECONDS, AT_ONCE)
  const isDownAt = async (siteId: string, destination: string): Promise<boolean> => {
    const url = parseUrl(destination)
    if (url === null) return true
    const { judged } = await visits.see(siteId, url)
    return judged.some(isBroken)
  }
  await Promise.all(
    links.map(async ({ id, siteId, destination }) => {
      const isDown = (await isDownAt(siteId, destination)) && (await later(() => isDownAt(siteId, destination)))
      const done = await write(db, async (transaction, changes) => {
        const isNews = await noteWatched(db, { id, destination, isDown }, transaction)
        if (isNews) changes.add(siteId, 'short-links', id, 'changed')
        return { ok: true, value: isNews } as const
      })
      if (done.ok && done.value) log.info({ shortLink: id, isDown }, 'the destination of a short link went down or came back')
    }),
  )
}

const later = async <T>(work: () => Promise<T>): Promise<T> => {
  await new Promise((resolve) => setTimeout(resolve, AGAIN_MS))
  return work()
}
