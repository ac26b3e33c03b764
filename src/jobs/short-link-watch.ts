import type { Logger } from 'pino'
import { type InsideAllowed, parseUrl } from '../core/address/index.ts'
import type { Database } from '../data/database.ts'
import { noteWatched, watchedShortLinks } from '../data/short-link-watch.ts'
import { write } from '../services/context.ts'
import { askOutside } from '../services/visits.ts'

/** A destination that has a fallback is asked this often, at most so many at a time. */
const EVERY_SECONDS = 120
const AT_ONCE = 100
const ANSWER_MS = 10_000
/** Of the answer; only its status counts. */
const READ_BYTES = 64 * 1024
/** One that failed is asked once more before visitors are sent elsewhere. */
const AGAIN_MS = 3_000

/** Asks the destinations that have a fallback whether they answer, and sends visitors there or back. */
export async function watchShortLinks(db: Database, log: Logger): Promise<void> {
  const links = await watchedShortLinks(db, EVERY_SECONDS, AT_ONCE)
  await Promise.all(
    links.map(async ({ id, siteId, destination, insideAllowed }) => {
      const isDown = !(await answers(destination, insideAllowed)) && !(await later(() => answers(destination, insideAllowed)))
      const done = await write(db, async (transaction, changes) => {
        const isNews = await noteWatched(db, { id, destination, isDown }, transaction)
        if (isNews) changes.add(siteId, 'short-links', id, 'changed')
        return { ok: true, value: isNews } as const
      })
      if (done.ok && done.value) log.info({ shortLink: id, isDown }, 'the destination of a short link went down or came back')
    }),
  )
}

const later = async (ask: () => Promise<boolean>): Promise<boolean> => {
  await new Promise((resolve) => setTimeout(resolve, AGAIN_MS))
  return ask()
}

/** A server that says anything but that it is broken is there; one that turns robots away is too. */
async function answers(destination: string, insideAllowed: InsideAllowed): Promise<boolean> {
  const url = parseUrl(destination)
  if (url === null) return false
  try {
    const { status } = await askOutside(url, insideAllowed, READ_BYTES, ANSWER_MS)
    return status < 500 && status !== 404 && status !== 410
  } catch {
    return false
  }
}
