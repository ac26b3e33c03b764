import { createHash } from 'node:crypto'
import { stringify } from 'csv-stringify/sync'
import { UPLOAD_MAX_BYTES } from '../../contract/imports.ts'
import { mayAsk } from '../../contract/operation.ts'
import { toldOf } from '../../contract/problems.ts'
import { redirectLists as calls, type RedirectsBulkInput, type RedirectsBulkItem } from '../../contract/redirect-lists.ts'
import type { RedirectOutcome } from '../../contract/redirects.ts'
import { repair } from '../../core/address/index.ts'
import {
  cellOfText,
  DRAFT_FIELDS,
  LIST_COLUMNS,
  listRecordOf,
  type RedirectDraft,
  whenToJson,
  writeHttpd,
  writeNginx,
} from '../../core/exchange/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import { PATTERNS_MAX, type Redirect, TOLERANCE } from '../../core/routing/index.ts'
import type { SiteGround } from '../../core/rules/index.ts'
import { asOfNow } from '../../data/delivered.ts'
import { freshId } from '../../data/ids.ts'
import { beginStep, insertRedirects, updateRedirects } from '../../data/redirect-steps.ts'
import { keptRedirects, listRedirects, type RedirectFields } from '../../data/redirects.ts'
import { inWords, type Said, type Told, tell } from '../../words/index.ts'
import { type Actor, type Context, type SiteViews, write } from '../context.ts'
import type { jobsService } from '../jobs/index.ts'
import { type Coming, type UploadFault, withUpload } from '../uploads.ts'
import { RedirectChains } from './chains.ts'
import { fieldsOf, nameOfRow } from './fields.ts'
import { hiddenRows } from './hidden.ts'
import { PromisedRows, RedirectLimits } from './limits.ts'

/** A row of a list with its line; what it leaves unsaid stays as it is where there is such a row. */
export interface ListedRedirectRow {
  readonly line: number
  readonly draft: RedirectDraft
  readonly said: ReadonlySet<keyof RedirectDraft>
}

/** What is kept from one stretch of a list to the next. */
export interface ListState {
  readonly view: SiteGround
  /** Lines by what their rows are for. */
  readonly seen: Map<string, number>
  ways: RedirectChains
  /** Its rows that every address has to be held against: what a wide one may hide. */
  readonly asked: Redirect[]
  /** So many more wide rows are looked into. */
  widesLeft: number
  /** What was made last, and the end of writing it: until then nobody finds it in the database. */
  writing: { readonly made: readonly MadeRedirect[]; readonly done: Promise<unknown> }
  /** Of a trial run, which writes nothing: what it has promised so far. */
  readonly promised: PromisedRows | null
}

/** RFC 4180; blanks at the ends and line ends of any kind stay what they are. */
const CSV = { record_delimiter: '\r\n', quoted_match: /[\r\n]|^\s|\s$/, cast: { string: cellOfText } } as const
/** Of an address in a report. */
const SHOWN_CHARS = 300
const EXPORTED_AT_ONCE = 1_000
/** Rows whose ways are remembered over a list, and letters of a name's hash. */
const WAYS_KEPT = 100_000
/** Rows for everything under a path of which it is told what they hide: each is held against all patterns of the site. */
const WIDES_MAX = 20
const NAME_CHARS = 20

/** A line as the row that it asks for, with what it is told from others by. */
export interface JudgedRedirect {
  readonly listed: ListedRedirectRow
  readonly row: RedirectFields
  readonly name: string
}

interface MadeRedirect {
  readonly id: string
  readonly row: RedirectFields
  readonly listed: ListedRedirectRow
}
interface ChangedRedirect extends MadeRedirect {
  readonly version: number
  readonly was: RedirectFields
}

/** What some rows of a list come to: written by `carryOut`. */
export interface ListPlan {
  readonly made: readonly MadeRedirect[]
  readonly changed: readonly ChangedRedirect[]
  readonly items: readonly RedirectsBulkItem[]
}

/** Many redirects at once: in from lists and configurations, and out again. */
export function redirectListsService({ db, settings }: Context, views: SiteViews, jobs: ReturnType<typeof jobsService>) {
  return {
    /** Keeps a list and starts going through it. */
    async start(
      actor: Actor,
      bytes: Coming,
      {
        as,
        dryRun,
        has = [],
        hasNot = [],
      }: Pick<RedirectsBulkInput, 'as' | 'dryRun'> & Partial<Pick<RedirectsBulkInput, 'has' | 'hasNot'>>,
    ): Promise<Result<string, 'forbidden' | UploadFault>> {
      if (!mayAsk(actor, calls.bulk)) return fail('forbidden')
      return withUpload(db, actor, bytes, { maxBytes: UPLOAD_MAX_BYTES }, (upload) =>
        jobs.start(actor, 'redirects', { upload, as, dryRun, has, hasNot }, { as, dryRun }),
      )
    },

    /** What a list is read against. @param isTrial - nothing of it is going to be written */
    async stateOf(siteId: string, isTrial: boolean): Promise<ListState> {
      const view = await views.of({ siteId })
      return {
        seen: new Map(),
        ways: new RedirectChains(db, view, settings.port, true),
        asked: [],
        widesLeft: WIDES_MAX,
        writing: { made: [], done: Promise.resolve() },
        promised: isTrial ? new PromisedRows() : null,
        view,
      }
    },

    /** What a line asks for, as far as that shows without looking at what is there. */
    judge(listed: ListedRedirectRow, { seen, view }: ListState): JudgedRedirect | RedirectsBulkItem {
      const fields = fieldsOf(view, mended(view, listed.draft))
      if (!fields.ok) return refused(listed, toldOf(fields.fault, fields.detail))
      const name = nameOfRow(view, fields.value)
      // Of a million names only so much is kept as tells them apart.
      const sum = createHash('sha256').update(name).digest('base64url').slice(0, NAME_CHARS)
      const earlier = seen.get(sum)
      if (earlier !== undefined) return refused(listed, tell('redirect.same-address-as-line', { line: earlier }))
      seen.set(sum, listed.line)
      return { listed, row: fields.value, name }
    },

    /** Tells what would become of some rows of a list. A row that cannot be taken does not stop the others. */
    async plan({ siteId }: { readonly siteId: string }, judged: readonly JudgedRedirect[], state: ListState): Promise<ListPlan> {
      const { view } = state
      const fields = judged.map(({ row }) => row)
      // Rows that are being written are not found by these two.
      if (state.ways.size > WAYS_KEPT || fields.some((row) => !isPath(row))) await state.writing.done
      // Ways that were followed long ago make room: what was taken in stands in the database by now.
      if (state.ways.size > WAYS_KEPT) state.ways = new RedirectChains(db, view, settings.port, true)
      return asOfNow(db, async (transaction) => {
        const outcomes = new Map<number, RedirectsBulkItem>()
        const there = await keptRedirects(db, siteId, fields, transaction)
        state.ways.learn(
          fields,
          there.map((row) => ({ ...row, order: row.place })),
        )
        const known = new Set(there.map(({ id }) => id))
        const coming = state.writing.made.filter(({ id }) => !known.has(id)).map(({ row }) => row)
        const room = await RedirectLimits.of(
          db,
          siteId,
          { fresh: fields, kept: [...there, ...coming], promised: state.promised },
          transaction,
        )
        // Of several for one address the one that answers: it is the first that is on.
        const kept = new Map<string, (typeof there)[number]>()
        for (const row of there) {
          const name = nameOfRow(view, row)
          const first = kept.get(name)
          if (first === undefined || (!first.isOn && row.isOn)) kept.set(name, row)
        }
        const fresh: MadeRedirect[] = []
        const next: ChangedRedirect[] = []
        const asked: Redirect[] = []
        for (const { listed, row, name } of judged) {
          const was = kept.get(name)
          const now = was === undefined ? row : withSaid(was, row, listed.said)
          if (was !== undefined && isAlike(was, now)) {
            outcomes.set(listed.line, outcomeOf(listed, row, 'same'))
            continue
          }
          const full = was === undefined ? room.take(row) : null
          if (full !== null) {
            outcomes.set(listed.line, refused(listed, toldOf('redirects-too-many', { why: full })))
            continue
          }
          const id = was?.id ?? freshId()
          if (was === undefined) fresh.push({ id, row: now, listed })
          else next.push({ id, version: was.version, row: now, listed, was })
          const put = { ...now, id, order: Number.MAX_SAFE_INTEGER }
          if (now.isOn) asked.push(put)
          else state.ways.put(put, false)
        }
        const found = await state.ways.settle(asked, transaction)
        const isRound = (id: string): boolean => found.get(id)?.end === 'loop'
        for (const { id, listed } of [...fresh, ...next]) {
          if (!isRound(id)) continue
          outcomes.set(
            listed.line,
            refused(
              listed,
              toldOf('redirect-goes-round', { why: tell('redirect.goes', { stops: found.get(id)?.stops.join(' → ') ?? '' }) }),
            ),
          )
        }
        const made = fresh.filter(({ id }) => !isRound(id))
        for (const { row } of made) state.promised?.add(row)
        await state.ways.know(
          made.map(({ row }) => row),
          transaction,
        )
        for (const { id, row } of made)
          if (!isPath(row) && row.isOn && state.asked.length < PATTERNS_MAX)
            state.asked.push({ ...row, id, order: Number.MAX_SAFE_INTEGER })
        for (const { id, row, listed } of made) {
          const notes: Told[] = []
          const asRow = { ...row, id, order: Number.MAX_SAFE_INTEGER }
          if (row.match === 'under' && row.isOn && state.widesLeft > 0) {
            state.widesLeft--
            const hides = await hiddenRows(db, view, { row: asRow, more: state.asked }, transaction)
            if (hides !== null) notes.push(...hiddenWords(hides))
          }
          if (row.match === 'exact' && !row.beatsPages && state.ways.hasPage(row.from)) notes.push(tell('redirect.page-first'))
          const before = state.ways.before(asRow)
          if (before !== null && row.isOn) notes.push(tell('redirect.never-asked', { from: short(before.from) }))
          const way = found.get(id)
          if (way?.end === 'nothing') notes.push(tell('redirect.no-page', { path: short(way.stops[way.stops.length - 1] ?? '') }))
          else if ((way?.stops.length ?? 0) > 2) notes.push(tell('redirect.leads-on', { stops: (way?.stops ?? []).map(short).join(' → ') }))
          outcomes.set(listed.line, outcomeOf(listed, row, 'new', notes.length === 0 ? '' : tell('redirect.notes', { notes })))
        }
        const changed = next.filter(({ id }) => !isRound(id))
        for (const { row, listed, was } of changed)
          outcomes.set(
            listed.line,
            outcomeOf(listed, row, 'changed', tell('redirect.was', { status: was.status, to: short(was.to), isOn: was.isOn })),
          )
        return { made, changed, items: judged.flatMap(({ listed }) => outcomes.get(listed.line) ?? []) }
      })
    },

    /**
     * Carries out in one transaction what was planned. The next may be planned meanwhile.
     * @returns what became of each row: those that somebody changed in between are refused
     */
    async carryOut(
      by: { readonly siteId: string; readonly personId: string | null; readonly stepId: string },
      { made, changed, items }: ListPlan,
      { state, what }: { readonly state: ListState; readonly what: Told },
    ): Promise<readonly RedirectsBulkItem[]> {
      if (made.length + changed.length === 0) return items
      const writing = write(db, async (transaction, changes) => {
        await beginStep(db, by, what, transaction)
        await insertRedirects(db, by, made, transaction)
        const done = await updateRedirects(db, by, changed, transaction)
        changes.add(
          by.siteId,
          'redirects',
          made.map(({ id }) => id),
          'made',
        )
        changes.add(by.siteId, 'redirects', [...done], 'changed')
        return ok(done)
      })
      state.writing = { made, done: writing.catch(() => {}) }
      const done = (await writing).value
      const missed = new Map(changed.filter(({ id }) => !done.has(id)).map(({ listed }) => [listed.line, listed]))
      return items.map((item) => {
        const listed = missed.get(item.line)
        return listed === undefined ? item : refused(listed, tell('redirect.changed-meanwhile'))
      })
    },

    /** All rows as a table or as JSON, a part at a time. */
    async download(
      actor: Actor,
      as: 'csv' | 'json',
      cursor: { readonly value: number | string; readonly id: string } | null,
    ): Promise<Result<{ text: string; next: { value: number | string; id: string } | null }, 'forbidden'>> {
      if (!mayAsk(actor, calls.download)) return fail('forbidden')
      const { items } = await listRedirects(db, { siteId: actor.siteId, limit: EXPORTED_AT_ONCE, after: cursor ?? undefined })
      const last = items.length === EXPORTED_AT_ONCE ? items[items.length - 1] : undefined
      const next = last === undefined ? null : { value: last.value, id: last.id }
      if (as === 'csv') {
        const text = stringify(items.map(listRecordOf), { ...CSV, header: cursor === null, columns: [...LIST_COLUMNS] })
        return ok({ text, next })
      }
      const rows = items.map((row) => JSON.stringify({ ...draftOfRow(row), when: whenToJson(row.when) }))
      const text = (cursor === null ? '[' : ',') + rows.join(',\n') + (next === null ? ']\n' : '')
      return ok({ text: items.length === 0 ? (cursor === null ? '[]\n' : ']\n') : text, next })
    },

    /** All rows as the configuration of a web server: it is put in the order of that server, for which all of them are needed. */
    async configuration(actor: Actor, as: 'httpd' | 'nginx'): Promise<Result<Uint8Array<ArrayBuffer>, 'forbidden'>> {
      if (!mayAsk(actor, calls.download)) return fail('forbidden')
      const { setup } = await views.of(actor)
      const drafts: RedirectDraft[] = []
      for (let after: { value: number | string; id: string } | undefined; ; ) {
        const { items } = await listRedirects(db, { siteId: actor.siteId, limit: EXPORTED_AT_ONCE, after })
        drafts.push(...items)
        const last = items[items.length - 1]
        if (last === undefined || items.length < EXPORTED_AT_ONCE) break
        after = { value: last.value, id: last.id }
      }
      const site = {
        tolerance: setup.tolerance ?? TOLERANCE,
        hosts: setup.hosts.filter(({ kind }) => kind === 'site').map(({ host }) => host),
        say: (told: Told): string => inWords(told),
      }
      const { text } = as === 'httpd' ? writeHttpd(drafts, site) : writeNginx(drafts, site)
      return ok(new TextEncoder().encode(text)) // here, and not where it is sent: that thread answers everybody else
    },
  }
}

const short = (text: string): string => text.slice(0, SHOWN_CHARS)

/** What a wide row hides, as a list tells it. */
function hiddenWords({ rows, names, visits, isWhole, catchesRobots }: NonNullable<RedirectOutcome['hides']>): Told[] {
  const whole = isWhole ? [catchesRobots ? tell('redirect.catches-robots') : tell('redirect.catches-all')] : []
  if (rows === 0) return whole
  return [...whole, tell('redirect.never-reached', { rows, visits, names: names.map(short), areMore: rows > names.length })]
}

/** An address as people write it in a list: without its slash, or without its scheme. */
function mended(view: SiteGround, draft: RedirectDraft): RedirectDraft {
  if (draft.match === 'pattern' || draft.match === 'expression') return draft
  const from = draft.from.trim()
  const rooted = /^(?:\/|https?:)/i.test(from) || from === '' ? from : rootedAt(view, from)
  const to = draft.to.trim()
  if (to === '' || /^(?:\/|https?:\/\/)/i.test(to)) return { ...draft, from: rooted, to: withinSite(view, to) }
  const repaired = repair(to, view.around('/'))
  const address = repaired.ok ? repaired.value.address : to
  return { ...draft, from: rooted, to: /^(?:\/|https?:\/\/)/i.test(address) ? withinSite(view, address) : `/${to}` }
}

/** Without its scheme: an address of one of the site's hosts, or a path. */
function rootedAt({ setup }: SiteGround, from: string): string {
  const first = from.split(/[/:]/, 1)[0]?.toLowerCase() ?? ''
  return setup.hosts.some(({ host }) => host === first) ? `http://${from}` : `/${from}`
}

/** An address of the site's main host as its path: it goes with the site when that moves. */
function withinSite({ origin }: SiteGround, to: string): string {
  return to.startsWith(`${origin}/`) ? to.slice(origin.length) : to === origin ? '/' : to
}

/** A row with what a list says of it. */
function withSaid(was: RedirectFields, row: RedirectFields, said: ReadonlySet<keyof RedirectDraft>): RedirectFields {
  const given = Object.fromEntries(CHANGED_BY_LISTS.filter((field) => said.has(field)).map((field) => [field, row[field]]))
  return { ...was, ...given, from: row.from }
}

const isAlike = (a: RedirectFields, b: RedirectFields): boolean => CHANGED_BY_LISTS.every((field) => a[field] === b[field])

/** By these a list names a row; of one that is there it changes the others. */
const NAMING: ReadonlySet<keyof RedirectDraft> = new Set(['from', 'match', 'hosts', 'when'])
const CHANGED_BY_LISTS = DRAFT_FIELDS.filter((field) => !NAMING.has(field))

/** What a row says, without its place and its hits. */
const draftOfRow = (row: RedirectDraft): object => Object.fromEntries(DRAFT_FIELDS.map((field) => [field, row[field]]))

const isPath = ({ match }: RedirectFields): boolean => match === 'exact' || match === 'under'

const refused = ({ line, draft }: ListedRedirectRow, reason: Told): RedirectsBulkItem => ({
  line,
  from: short(draft.from),
  to: short(draft.to),
  status: null,
  outcome: 'refused',
  reason,
})

const outcomeOf = (
  { line }: ListedRedirectRow,
  row: RedirectFields,
  outcome: RedirectsBulkItem['outcome'],
  reason: Said = '',
): RedirectsBulkItem => ({
  line,
  from: short(row.from),
  to: short(row.to),
  status: row.status,
  outcome,
  reason,
})
