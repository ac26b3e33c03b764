import type { z } from 'zod'
import type { ImportInput } from '../contract/imports.ts'
import type { Job } from '../contract/jobs.ts'
import { Job as JobShape } from '../contract/jobs.ts'
import type { Permission } from '../contract/permissions.ts'
import type { ShortLinksBulkInput } from '../contract/short-links.ts'
import { fail, ok, type Result } from '../core/result.ts'
import type { JobRow } from '../data/models.ts'
import { type Actor, type Context, write, writeAudit } from './context.ts'

/** Queue on which imports travel to the job floor. */
export const IMPORT_QUEUE = 'imports'

/** What one must be allowed to do to stop a job that is no import. */
const STOPPED_BY: Readonly<Record<string, Permission>> = { 'short-links': 'short-links:edit', 'bulk-change': 'pages:publish' }

const shown = ({ id, kind, state, done, total, report, message }: JobRow): Job =>
  JobShape.parse({ id, kind, state, done, total, report, message })

export function jobsService({ db, enqueue }: Context) {
  const { Job } = db.models
  return {
    async get(actor: Actor, id: string): Promise<Result<Job, 'forbidden' | 'not-found'>> {
      if (!actor.can('pages:read')) return fail('forbidden')
      const row = await Job.findOne({ where: { id, siteId: actor.siteId } })
      if (row?.kind === 'short-links' && !actor.can('short-links:read')) return fail('forbidden')
      return row === null ? fail('not-found') : ok(shown(row.get({ plain: true })))
    },

    /** Notes a list of short links down and sends it to the job floor. */
    async startShortLinks(actor: Actor, input: z.infer<typeof ShortLinksBulkInput>): Promise<Result<string, 'forbidden'>> {
      if (!actor.can('short-links:edit')) return fail('forbidden')
      const saved = await write(db, async (transaction) => {
        const job = await Job.create(
          { siteId: actor.siteId, kind: 'short-links', state: 'waiting', input, personId: actor.personId },
          { transaction },
        )
        await writeAudit(db, actor, 'short-links:bulk', job.id, { dryRun: input.dryRun }, transaction)
        return ok(job.id)
      })
      await enqueue(IMPORT_QUEUE, { job: saved.value })
      return saved
    },

    /** Notes an import down and sends it to the job floor. */
    async startImport(actor: Actor, input: ImportInput): Promise<Result<string, 'forbidden'>> {
      if (!actor.can('imports:run')) return fail('forbidden')
      const saved = await write(db, async (transaction) => {
        const job = await Job.create(
          { siteId: actor.siteId, kind: 'import', state: 'waiting', input, personId: actor.personId },
          { transaction },
        )
        await writeAudit(db, actor, 'imports:run', job.id, { name: input.name, dryRun: input.dryRun }, transaction)
        return ok(job.id)
      })
      await enqueue(IMPORT_QUEUE, { job: saved.value })
      return saved
    },

    /** What an import was asked to do; null when it is none of the actor's. */
    async input(actor: Actor, id: string): Promise<JobRow | null> {
      return (await Job.findOne({ where: { id, siteId: actor.siteId } }))?.get({ plain: true }) ?? null
    },

    /** Asks a job to stop. One that has not begun stops at once; a running one before its next file, with nothing done. */
    async cancel(actor: Actor, id: string): Promise<Result<Job, 'forbidden' | 'not-found' | 'job-not-ready'>> {
      const row = await Job.findOne({ where: { id, siteId: actor.siteId } })
      if (!actor.can(STOPPED_BY[row?.kind ?? ''] ?? 'imports:run')) return fail('forbidden')
      if (row === null) return fail('not-found')
      await Job.update({ state: 'cancelled' }, { where: { id, state: 'waiting' } })
      const [asked] = await Job.update({ isCancelAsked: true }, { where: { id, state: ['running', 'cancelled'] } })
      if (asked === 0) return fail('job-not-ready', { state: row.state })
      return ok(shown((await row.reload()).get({ plain: true })))
    },
  }
}
