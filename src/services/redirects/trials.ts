import { UPLOAD_MAX_BYTES } from '../../contract/imports.ts'
import { mayAsk } from '../../contract/operation.ts'
import { redirectTrials as calls, TriedRows } from '../../contract/redirect-trials.ts'
import { placesOfPage, siteAddress } from '../../core/address/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import {
  type KnownPage,
  plainPath,
  type Redirect,
  type RedirectSource,
  RedirectTable,
  TOLERANCE,
  tellingEnding,
} from '../../core/routing/index.ts'
import type { SiteGround } from '../../core/rules/index.ts'
import { asOfNow } from '../../data/delivered.ts'
import { allRedirects, everyKnownPage } from '../../data/redirect-knowledge.ts'
import { tell } from '../../words/index.ts'
import { conditionsOf, defined } from '../conditions.ts'
import type { Actor, Context, SiteViews } from '../context.ts'
import { insideFault } from '../inside.ts'
import type { jobsService } from '../jobs/index.ts'
import { type Coming, type UploadFault, withUpload } from '../uploads.ts'
import { fieldsOf, PLAIN_REDIRECT } from './fields.ts'

const ROWS_AT_ONCE = 10_000

/** A site as trials are run against it: read once, for one trial. */
export interface TriedSite {
  readonly view: SiteGround
  readonly host: string
  readonly live: RedirectSource
  /** With rows that are off, and those that were given; null where there are none. */
  readonly draft: RedirectSource | null
  readonly tried: number
  readonly pages: readonly KnownPage[]
  hasPage(path: string): boolean
  hasEnding(ending: string): boolean
}

interface ReplaySaid {
  readonly rows?: string
  readonly host?: string
}

/** Trials of a table that change nothing: an access log run through it, and a move rehearsed. */
export function redirectTrialsService({ db }: Context, views: SiteViews, jobs: ReturnType<typeof jobsService>) {
  return {
    /** @param said - what goes with the log, which may be told behind it; `rows`: JSON of rows that are tried besides, "" for none */
    async startReplay(
      actor: Actor,
      bytes: Coming,
      said: () => ReplaySaid | Promise<ReplaySaid>,
    ): Promise<Result<string, 'forbidden' | UploadFault | 'invalid-body'>> {
      if (!mayAsk(actor, calls.replay)) return fail('forbidden')
      return withUpload(db, actor, bytes, { maxBytes: UPLOAD_MAX_BYTES }, async (upload) => {
        const { rows = '', host = '' } = await said()
        const start = (of: string | null): Promise<Result<string, 'forbidden'>> =>
          jobs.start(actor, 'replay', { upload, rows: of, host: host === '' ? null : host })
        if (rows === '') return start(null)
        if (!readRows(rows).ok) return fail('invalid-body', { why: tell('redirect.trial-unreadable') })
        return withUpload(db, actor, Buffer.from(rows), { maxBytes: UPLOAD_MAX_BYTES }, start)
      })
    },

    async startRehearsal(
      actor: Actor,
      { bytes, name }: { readonly bytes: Coming; readonly name: string },
    ): Promise<Result<string, 'forbidden' | UploadFault>> {
      if (!mayAsk(actor, calls.rehearse)) return fail('forbidden')
      return withUpload(db, actor, bytes, { maxBytes: UPLOAD_MAX_BYTES }, (upload) =>
        jobs.start(actor, 'rehearsal', { upload, name: name.slice(0, 300) }),
      )
    },

    /** A rehearsal with the sitemap of a site that is still there. @param address - of the site, or of its sitemap */
    async startRehearsalOf(
      actor: Actor,
      address: string,
    ): Promise<Result<string, 'forbidden' | 'address-unreadable' | 'inside-not-allowed'>> {
      if (!mayAsk(actor, calls.rehearse)) return fail('forbidden')
      const url = siteAddress(address)
      if (url === null) return fail('address-unreadable')
      const inside = await insideFault(db, actor, url)
      if (inside !== null) return inside
      return jobs.start(actor, 'rehearsal', { address: url.href })
    },

    /** Reads a site for a trial. @param rows - JSON of rows that are tried besides */
    async siteOf(siteId: string, { rows, host }: { rows: string | null; host: string | null }): Promise<TriedSite> {
      const view = await views.of({ siteId })
      const tolerance = view.setup.tolerance ?? TOLERANCE
      const [live, draft] = [new RedirectTable(tolerance), new RedirectTable(tolerance)]
      const { ignoresCase } = tolerance
      const fold = (path: string): string => (ignoresCase ? path.toLowerCase() : path)
      const paths = new Set<string>()
      const endings = new Set<string>()
      const pages: KnownPage[] = []
      let tried = 0
      await asOfNow(db, async (transaction) => {
        for await (const known of everyKnownPage(db, siteId, transaction))
          for (const page of known) {
            endings.add(tellingEnding(page.path))
            if (!page.isLive) continue
            pages.push(page)
            paths.add(fold(plainPath(page.path)))
          }
        for (let after: string | null = null; ; ) {
          const found = await allRedirects(db, siteId, { after, limit: ROWS_AT_ONCE }, transaction)
          for (const { place, isOn, ...row } of found) {
            const each: Redirect = { ...row, order: place }
            endings.add(tellingEnding(row.from))
            if (isOn) live.take(each)
            else tried++
            draft.take(each)
          }
          after = found[found.length - 1]?.id ?? null
          if (found.length < ROWS_AT_ONCE) break
        }
      })
      const given = rows === null ? ok([]) : readRows(rows)
      for (const [i, { when, host: on, hosts, evenSo: _, ...row }] of given.ok ? given.value.entries() : []) {
        const fields = fieldsOf(view, {
          ...PLAIN_REDIRECT,
          ...defined(row),
          from: row.from,
          hosts: hosts ?? (on === undefined ? [] : [on]),
          when: conditionsOf(when ?? {}),
        })
        if (!fields.ok) continue
        tried++
        endings.add(tellingEnding(fields.value.from))
        draft.take({ ...fields.value, id: `tried-${i}`, order: 1e12 + i })
      }
      return {
        view,
        host: host ?? new URL(view.origin).hostname,
        live,
        draft: tried === 0 ? null : draft,
        tried,
        pages,
        // As delivery looks for what is asked for (`locate`).
        hasPage: (path) => placesOfPage(plainPath(path)).some((each) => paths.has(fold(each))),
        hasEnding: (ending) => endings.has(ending),
      }
    },
  }
}

function readRows(json: string): ReturnType<typeof ok<(typeof TriedRows)['_output']>> | ReturnType<typeof fail<'unreadable'>> {
  try {
    const read = TriedRows.safeParse(JSON.parse(json))
    return read.success ? ok(read.data) : fail('unreadable')
  } catch {
    return fail('unreadable')
  }
}
