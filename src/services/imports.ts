import { randomUUID } from 'node:crypto'
import { imports as calls, type ImportApply, type ImportFetch, ImportInput, NO_CHOICES, UPLOAD_MAX_BYTES } from '../contract/imports.ts'
import { mayAsk } from '../contract/operation.ts'
import { siteAddress } from '../core/address/index.ts'
import { fail, type Result } from '../core/result.ts'
import type { Actor, Context } from './context.ts'
import { insideFault } from './inside.ts'
import type { jobsService } from './jobs/index.ts'
import { type Coming, type UploadFault, withUpload } from './uploads.ts'

interface ImportSaid {
  readonly dryRun: boolean
  readonly leaveOff?: string
}

export function importsService({ db }: Context, jobs: ReturnType<typeof jobsService>) {
  return {
    /**
     * Keeps an upload and starts looking at it; a dry run changes nothing.
     * @param said - what goes with the file, which may be told behind it
     */
    async start(
      actor: Actor,
      { name, bytes }: { readonly name: string; readonly bytes: Coming },
      said: () => ImportSaid | Promise<ImportSaid>,
    ): Promise<Result<string, 'forbidden' | UploadFault>> {
      if (!mayAsk(actor, calls.start)) return fail('forbidden')
      return withUpload(db, actor, bytes, { maxBytes: UPLOAD_MAX_BYTES }, async (upload) => {
        const { dryRun, leaveOff = '' } = await said()
        return jobs.start(actor, 'import', { ...NO_CHOICES, upload, dryRun, leaveOff, name }, { name, dryRun })
      })
    },

    /** Starts fetching a site by its sitemap, or a feed. What has been fetched is kept, so that it goes on where it stopped. */
    async fetch(
      actor: Actor,
      { address, dryRun }: ImportFetch,
    ): Promise<Result<string, 'forbidden' | 'address-unreadable' | 'inside-not-allowed'>> {
      if (!mayAsk(actor, calls.fetch)) return fail('forbidden')
      const url = siteAddress(address)
      if (url === null) return fail('address-unreadable')
      const inside = await insideFault(db, actor, url)
      if (inside !== null) return inside
      const input = { ...NO_CHOICES, upload: randomUUID(), address: url.href, dryRun, leaveOff: '', name: url.host }
      return jobs.start(actor, 'import', input, { name: url.host, dryRun })
    },

    /** Carries out what a dry run looked at, or looks again with another folder left off. The upload is not sent again. */
    async again(actor: Actor, id: string, change: ImportApply): Promise<Result<string, 'forbidden' | 'not-found' | 'job-not-ready'>> {
      if (!mayAsk(actor, calls.again)) return fail('forbidden')
      const before = await jobs.input(actor, id)
      if (before === null) return fail('not-found')
      const input = ImportInput.parse(before.input)
      // A fetch that was stopped or broke off goes on from what it has.
      const isHalfFetched = input.address !== undefined && (before.state === 'cancelled' || before.state === 'failed')
      if (!isHalfFetched && (before.state !== 'done' || !input.dryRun)) return fail('job-not-ready', { state: before.state })
      const dryRun = isHalfFetched ? input.dryRun : change.dryRun
      const next = {
        ...input,
        dryRun,
        leaveOff: change.leaveOff ?? input.leaveOff,
        under: change.under ?? input.under,
        joinsMenus: change.joinsMenus ?? input.joinsMenus,
        replacesFront: change.replacesFront ?? input.replacesFront,
      }
      return jobs.start(actor, 'import', next, { name: input.name, dryRun })
    },
  }
}
