import { randomUUID } from 'node:crypto'
import { UPLOAD_MAX_BYTES } from '../../contract/imports.ts'
import { mayAsk } from '../../contract/operation.ts'
import { toldOf } from '../../contract/problems.ts'
import { shortLinks as calls, Note, Tags } from '../../contract/short-links.ts'
import type { ShortLinkListRow } from '../../core/exchange/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import type { SiteGround } from '../../core/rules/index.ts'
import { slugFault } from '../../core/slugs/index.ts'
import { insertShortLinks, updateShortLinks } from '../../data/short-link-lists.ts'
import { slugsInUse, type TakenSlug } from '../../data/short-link-slugs.ts'
import { beginListStep } from '../../data/steps.ts'
import type { ShortLinkRow } from '../../data/tables/index.ts'
import { type Said, type Told, tell } from '../../words/index.ts'
import { type Actor, type Context, type SiteViews, write } from '../context.ts'
import type { jobsService } from '../jobs/index.ts'
import { type Coming, type UploadFault, withUpload } from '../uploads.ts'
import { freeSlugs, mendDestination, redirectsUnder, shortHost } from './look-up.ts'

/** A row of a list, with the line it stands on. */
export interface ListedRow extends ShortLinkListRow {
  readonly line: number
}

/** What became of a row, or would. */
export interface RowOutcome {
  readonly line: number
  readonly slug: string
  readonly destination: string
  readonly outcome: 'new' | 'changed' | 'same' | 'refused'
  /** Why it was refused, or where it led before; "" otherwise. */
  readonly reason: Said
}

/** A row that can be carried out. */
interface Judged {
  readonly row: ListedRow
  readonly hostId: string
  readonly host: string
  readonly prefix: string
  readonly slug: string
  readonly destination: string
  readonly status: ShortLinkRow['status']
  /** Null where the list says nothing of them. */
  readonly note: string | null
  readonly tags: readonly string[] | null
}

/** As a single one: found, may change later (RFC 9110 §15.4.3). */
const DEFAULT_STATUS = 302
const STATUSES = new Set([301, 302, 307, 308])
/** Of an address in a report. */
const SHOWN_CHARS = 300

const keyOf = ({ hostId, slug }: { hostId: string; slug: string }): string => `${hostId} ${slug}`

/** Whether a link is already what a row says; of what the row leaves out, whatever it is. */
const isSame = ({ destination, status, note, tags, row }: Judged, was: TakenSlug, title: string): boolean =>
  was.destination === destination &&
  was.title === title &&
  (row.status === '' || was.status === status) &&
  (note === null || was.note === note) &&
  (tags === null || was.tags.join(',') === tags.join(','))

/** Many short links at once, from a list: what is there already stays or is changed, what is not is made. */
export function shortLinkListsService({ db }: Context, views: SiteViews, jobs: ReturnType<typeof jobsService>) {
  return {
    /** Keeps a list and starts going through it. @param bytes - CSV with a header, UTF-8 */
    async start(actor: Actor, bytes: Coming, dryRun: boolean): Promise<Result<string, 'forbidden' | UploadFault>> {
      if (!mayAsk(actor, calls.bulk)) return fail('forbidden')
      return withUpload(db, actor, bytes, { maxBytes: UPLOAD_MAX_BYTES }, (upload) =>
        jobs.start(actor, 'short-links', { upload, dryRun }, { dryRun }),
      )
    },

    /**
     * Carries some rows of a list out in one transaction, or only tells what would become of them. A row that cannot be taken
     * does not stop the others.
     * @param step - by which the list can be taken back
     * @param seen - lines on which slugs of earlier rows stand, by host and slug; added to
     */
    async take(
      { siteId, personId }: { readonly siteId: string; readonly personId: string | null },
      rows: readonly ListedRow[],
      { dryRun, seen, step }: { dryRun: boolean; seen: Map<string, number>; step: string },
    ): Promise<RowOutcome[]> {
      const view = await views.of({ siteId })
      const outcomes = new Map<number, RowOutcome>()
      const judged: Judged[] = []
      for (const row of rows) {
        const each = await judge(view, row)
        if (!each.ok) outcomes.set(row.line, refused(row, toldOf(each.fault, each.detail)))
        else if (seen.has(keyOf(each.value)))
          outcomes.set(row.line, refused(row, tell('list.same-short-link', { line: seen.get(keyOf(each.value)) ?? 0 }), each.value.slug))
        else {
          seen.set(keyOf(each.value), row.line)
          judged.push(each.value)
        }
      }
      await write(db, async (transaction, changes) => {
        if (!dryRun) await beginListStep(db, { id: step, siteId, personId }, transaction)
        const taken = new Map((await slugsInUse(db, judged, transaction)).map((each) => [keyOf({ ...each, slug: each.asked }), each]))
        const under = await redirectsUnder(db, siteId, judged, transaction)
        const fresh: (Judged & { id: string })[] = []
        const next: { judged: Judged; was: TakenSlug; title: string }[] = []
        for (const each of judged) {
          const was = taken.get(keyOf(each))
          const title = each.row.title === '' ? (was?.title ?? '') : each.row.title
          const hidden = was === undefined ? under.get(`${each.host}/${each.slug}`) : undefined
          if (hidden !== undefined)
            outcomes.set(each.row.line, refused(each.row, toldOf('slug-hides-redirect', { slug: each.slug, from: hidden.from }), each.slug))
          else if (was === undefined) fresh.push({ ...each, id: randomUUID() })
          else if (isSame(each, was, title)) outcomes.set(each.row.line, outcomeOf(each, 'same'))
          else next.push({ judged: each, was, title })
        }
        const made = dryRun
          ? new Set(fresh.map(({ id }) => id))
          : await insertShortLinks(
              db,
              {
                siteId,
                personId,
                step,
                links: fresh.map((each) => ({ ...each, title: each.row.title, note: each.note ?? '', tags: each.tags ?? [] })),
              },
              transaction,
            )
        const links = next.map(({ judged: { destination, status, row, note, tags }, was, title }) => ({
          id: was.id,
          version: was.version,
          destination,
          title,
          status: row.status === '' ? was.status : status,
          note: note ?? was.note,
          tags: tags ?? was.tags,
        }))
        const changed = dryRun
          ? new Set(links.map(({ id }) => id))
          : await updateShortLinks(db, { siteId, personId, step, links }, transaction)
        for (const each of fresh)
          outcomes.set(each.row.line, made.has(each.id) ? outcomeOf(each, 'new') : refused(each.row, tell('list.slug-taken'), each.slug))
        for (const { judged: each, was } of next)
          outcomes.set(
            each.row.line,
            changed.has(was.id)
              ? outcomeOf(each, 'changed', tell('list.led-to', { destination: was.destination.slice(0, SHOWN_CHARS) }))
              : refused(each.row, tell('list.changed-meanwhile'), each.slug),
          )
        if (!dryRun) {
          changes.add(siteId, 'short-links', [...made], 'made')
          changes.add(siteId, 'short-links', [...changed], 'changed')
        }
        return ok(null)
      })
      return rows.flatMap(({ line }) => outcomes.get(line) ?? [])
    },
  }

  async function judge(view: SiteGround, row: ListedRow): Promise<Result<Judged, string>> {
    const short = shortHost(view, row.host === '' ? undefined : row.host)
    if (short === null) return fail('no-short-host', { why: row.host })
    const mended = mendDestination(view, row.destination)
    if (!mended.ok) return mended
    const destination = mended.value.address
    const slug = row.slug === '' ? ((await freeSlugs(db, short.id, destination, row.title))[0]?.slug ?? '') : row.slug.toLowerCase()
    const fault = slugFault(slug)
    if (fault !== null) return fail(fault)
    const status = row.status === '' ? DEFAULT_STATUS : Number(row.status)
    if (!STATUSES.has(status)) return fail('status-unknown')
    if (row.title.length > TITLE_MAX_CHARS) return fail('title-too-long')
    const note = row.note === '' ? null : Note.safeParse(row.note)
    if (note?.success === false) return fail('note-too-long')
    const tags =
      row.tags === ''
        ? null
        : Tags.safeParse(
            row.tags
              .split(/[,;]/)
              .map((tag) => tag.trim())
              .filter((tag) => tag !== ''),
          )
    if (tags?.success === false) return fail('tags-unfit')
    return ok({
      row,
      hostId: short.id,
      host: short.host,
      prefix: short.prefix,
      slug,
      destination,
      status: status as ShortLinkRow['status'],
      note: note?.data ?? null,
      tags: tags?.data ?? null,
    })
  }
}

/** Longest title of a short link, inclusive. */
const TITLE_MAX_CHARS = 300

const outcomeOf = ({ row, slug, destination }: Judged, outcome: RowOutcome['outcome'], reason: Said = ''): RowOutcome => ({
  line: row.line,
  slug,
  destination: destination.slice(0, SHOWN_CHARS),
  outcome,
  reason,
})
const refused = (row: ListedRow, reason: Told, slug = row.slug): RowOutcome => ({
  line: row.line,
  slug: slug.slice(0, SHOWN_CHARS),
  destination: row.destination.slice(0, SHOWN_CHARS),
  outcome: 'refused',
  reason,
})
