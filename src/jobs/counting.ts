import { Changes } from '../data/changes.ts'
import { countVisitors, daysToJudge, dropOldClicks, judgeDay, noteJudged, readCounting } from '../data/counting.ts'
import { type Database, inTransaction } from '../data/database.ts'
import { siteIds } from '../data/sites.ts'
import { judgedBy } from '../services/counting.ts'

/** Takes visitors for bots by what they did, on the days to which clicks came, and counts different people. */
export async function judgeClicks(db: Database): Promise<void> {
  for (const day of await daysToJudge(db)) {
    const begunAt = new Date()
    for (const siteId of await siteIds(db)) {
      const row = await readCounting(db, siteId)
      const changed = row === null ? 0 : await judgeDay(db, siteId, day, judgedBy(row))
      if (changed === 0) continue
      await inTransaction(db, async (transaction) => {
        const changes = new Changes()
        changes.add(siteId, 'short-links', siteId, 'changed')
        await changes.write(db, transaction)
      })
    }
    await countVisitors(db, day)
    await noteJudged(db, day, begunAt)
  }
}

let clearedOn = ''
/** Once a day: single clicks go that their site no longer keeps. */
export async function clearClicks(db: Database, today: string): Promise<void> {
  if (clearedOn === today) return
  await dropOldClicks(db, today)
  clearedOn = today
}
