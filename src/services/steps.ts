import { z } from 'zod'
import type { Permission } from '../contract/permissions.ts'
import { STEP_KINDS, Step, type StepKind, type StepList, type StepQuery, type StepUndo, type StepUndone } from '../contract/steps.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { getContent } from '../data/contents.ts'
import { updateDrafts } from '../data/drafts.ts'
import { markRemoved } from '../data/pages.ts'
import { listRevisions } from '../data/revisions.ts'
import {
  beforeImport,
  importedPages,
  isListStep,
  listAllSteps,
  markTakenBack,
  moveOfPart,
  removePhrasesWith,
  type StepRow,
  takeFilesBack,
  takeListBack,
  versionOfStep,
} from '../data/steps.ts'
import { type Said, tell } from '../words/index.ts'
import type { bulkChangesService } from './bulk-changes/index.ts'
import { type Actor, type Context, cursorOf, readCursor, write, writeAudit } from './context.ts'
import type { earningsService } from './earnings.ts'
import type { jobsService } from './jobs/index.ts'
import { newContent } from './pages/index.ts'
import type { partnerMovesService } from './partners/index.ts'
import type { redirectStepsService } from './redirects/index.ts'
import type { rulesService } from './rules.ts'
import type { shortLinkStepsService } from './short-links/index.ts'

/** What it takes to see steps of a kind, and to take one back. */
const NEEDS: Readonly<Record<StepKind, { readonly see: Permission; readonly undo: Permission }>> = {
  links: { see: 'pages:read', undo: 'pages:publish' },
  'short-links': { see: 'short-links:read', undo: 'short-links:edit' },
  redirects: { see: 'redirects:read', undo: 'redirects:edit' },
  partners: { see: 'partners:read', undo: 'partners:edit' },
  phrases: { see: 'partners:read', undo: 'partners:edit' },
  rules: { see: 'rules:read', undo: 'rules:edit' },
  earnings: { see: 'partners:read', undo: 'partners:edit' },
  imports: { see: 'pages:read', undo: 'imports:run' },
}

/** Things that are named of what could not be taken back. */
const LEFT_MAX = 50
/** Short links, or pages, given back in one transaction. */
const AT_ONCE = 1_000
const PAGES_AT_ONCE = 100
/** Where the taking back of an import has come to its files, and behind it the last of them. */
const FILES = 'files '

const Cursor = z.object({ at: z.string().regex(/^[0-9 :.+-]{10,40}$/), id: z.uuid() })

interface Others {
  readonly bulkChanges: ReturnType<typeof bulkChangesService>
  readonly shortLinkSteps: ReturnType<typeof shortLinkStepsService>
  readonly redirectSteps: ReturnType<typeof redirectStepsService>
  readonly partnerMoves: ReturnType<typeof partnerMovesService>
  readonly rules: ReturnType<typeof rulesService>
  readonly earnings: ReturnType<typeof earningsService>
  readonly jobs: ReturnType<typeof jobsService>
}

/** Whatever was changed in one step, of whatever kind, in one list; and the one way in which each is taken back. */
export function stepsService({ db }: Context, { bulkChanges, shortLinkSteps, redirectSteps, partnerMoves, rules, earnings, jobs }: Others) {
  const done = (back: number, left: readonly { what: string; why: Said }[] = []): Result<StepUndone, never> =>
    ok({ job: null, back, left: left.slice(0, LEFT_MAX), moreLeft: Math.max(0, left.length - LEFT_MAX) })
  const changedSince = (left: number): { what: string; why: Said }[] =>
    left === 0 ? [] : [{ what: `${left}`, why: tell('steps.changed-since') }]

  /** By kind. What belongs to a larger step takes that back, whole. */
  const undoing: Readonly<Record<StepKind, (actor: Actor, id: string) => Promise<Result<StepUndone>>>> = {
    async links(actor, id) {
      const whole = await moveOfPart(db, actor.siteId, id)
      if (whole !== null) return undoing.partners(actor, whole)
      const undone = await bulkChanges.undo(actor, id)
      return undone.ok
        ? done(
            undone.value.pages,
            undone.value.left.map(({ page, why }) => ({ what: page, why })),
          )
        : undone
    },
    async 'short-links'(actor, id) {
      if (await isListStep(db, actor.siteId, id))
        return started(await jobs.start(actor, 'short-links-undo', { kind: 'short-links', step: id }, { step: id }))
      const undone = await shortLinkSteps.undo(actor, id)
      return undone.ok ? done(undone.value.back, changedSince(undone.value.left)) : undone
    },
    async redirects(actor, id) {
      const whole = await moveOfPart(db, actor.siteId, id)
      return whole === null ? started(await redirectSteps.undo(actor, id)) : undoing.partners(actor, whole)
    },
    async partners(actor, id) {
      const undone = await partnerMoves.undo(actor, id)
      if (!undone.ok) return undone
      const { pages, shortLinks, redirects, left } = undone.value
      return done(
        pages + shortLinks + redirects,
        left.map((why) => ({ what: '', why })),
      )
    },
    async phrases(actor, id) {
      return write(db, async (transaction, changes) => {
        const gone = await removePhrasesWith(db, actor.siteId, id, transaction)
        if (gone.length === 0) return fail('not-found')
        changes.add(actor.siteId, 'phrases', gone, 'removed')
        await writeAudit(db, actor, 'phrases:undo', id, { phrases: gone.length }, transaction)
        return done(gone.length)
      })
    },
    async rules(actor, id) {
      const version = await versionOfStep(db, actor.siteId, id)
      const undone = version === null ? fail('not-found') : await rules.undo(actor, version)
      return undone.ok
        ? done(
            undone.value.back,
            undone.value.left.map((name) => ({
              what: name,
              why: name === '' ? tell('steps.order-changed') : tell('steps.rule-changed'),
            })),
          )
        : undone
    },
    async earnings(actor, id) {
      const undone = await earnings.undo(actor, id)
      return undone.ok ? done(1) : undone
    },
    async imports(actor, id) {
      return started(await jobs.start(actor, 'imports-undo', { kind: 'imports', step: id }, { step: id }))
    },
  }

  return {
    async list(actor: Actor, { kind, cursor, limit }: StepQuery): Promise<Result<StepList, 'forbidden'>> {
      const kinds = STEP_KINDS.filter((each) => (kind === undefined || kind === each) && actor.can(NEEDS[each].see))
      if (kinds.length === 0) return fail('forbidden')
      const found = await listAllSteps(db, actor.siteId, { kinds, after: readCursor(cursor, Cursor) ?? null, limit })
      const last = found[found.length - 1]
      const next = found.length === limit && last !== undefined ? cursorOf({ at: last.moment, id: last.id }) : null
      return ok({ items: found.map((row) => shown(actor, row)), next })
    },

    /** Takes a step back, whole, wherever it is offered. */
    async undo(actor: Actor, { kind, id }: StepUndo): Promise<Result<StepUndone>> {
      return actor.can(NEEDS[kind].undo) ? undoing[kind](actor, id) : fail('forbidden')
    },

    /**
     * Gives a stretch of what a list or an import changed back what it was before.
     * @param after - the last thing that was given back; null at the beginning
     * @returns null where it is not there, or is taken back already
     */
    async undoNext(
      by: { readonly siteId: string; readonly personId: string | null; readonly job: string },
      { kind, step }: { kind: 'short-links' | 'imports'; step: string },
      after: string | null,
    ): Promise<{ seen: number; given: number; last: string | null } | null> {
      const found = await write(db, async (transaction, changes) => {
        if (after === null && !(await markTakenBack(db, by.siteId, { kind, id: step, job: by.job }, transaction))) return fail('not-found')
        if (kind === 'short-links') {
          const { seen, changed, removed } = await takeListBack(db, by, { step, after, limit: AT_ONCE }, transaction)
          changes.add(by.siteId, 'short-links', [...changed], 'changed')
          changes.add(by.siteId, 'short-links', [...removed], 'removed')
          return ok({
            seen: seen.length,
            given: changed.length + removed.length,
            last: seen.length < AT_ONCE ? null : (seen.at(-1) ?? null),
          })
        }
        if (after?.startsWith(FILES) === true) {
          const { seen, changed, removed } = await takeFilesBack(
            db,
            by,
            { step, after: after === FILES ? null : after.slice(FILES.length), limit: AT_ONCE },
            transaction,
          )
          changes.add(by.siteId, 'files', [...changed], 'changed')
          changes.add(by.siteId, 'files', [...removed], 'removed')
          return ok({
            seen: seen.length,
            given: changed.length + removed.length,
            last: seen.length < AT_ONCE ? null : `${FILES}${seen.at(-1)}`,
          })
        }
        const pageIds = await importedPages(db, { step, after, limit: PAGES_AT_ONCE }, transaction)
        const standing = await beforeImport(db, by.siteId, { step, pageIds }, transaction)
        const made = standing.filter(({ before }) => before === null)
        for (const { id, version } of made) await markRemoved(db, { pageId: id, version, isRemoved: true }, transaction)
        const drafts = []
        for (const { id, version, before } of standing) {
          const [revision] = before === null ? [] : await listRevisions(db, id, before, 1)
          const content = revision === undefined ? null : await getContent(db, revision.hash)
          if (revision === undefined || content === null) continue
          const notes = { tags: content.tags, writtenFor: content.writtenFor }
          drafts.push({ pageId: id, version, content: newContent(content.bytes, revision.title, { encoding: revision.encoding, notes }) })
        }
        if (drafts.length > 0 && (await updateDrafts(db, drafts, { personId: by.personId, madeBy: 'undo' }, transaction)) !== null)
          return fail('moved-on')
        changes.add(
          by.siteId,
          'pages',
          drafts.map(({ pageId }) => pageId),
          'changed',
        )
        changes.add(
          by.siteId,
          'pages',
          made.map(({ id }) => id),
          'removed',
        )
        const last = pageIds.length < PAGES_AT_ONCE ? FILES : (pageIds.at(-1) ?? null)
        return ok({ seen: pageIds.length, given: made.length + drafts.length, last })
      })
      if (found.ok) return found.value
      if (found.fault === 'moved-on') throw new Error('A page was saved while its import was taken back')
      return null
    },
  }

  function shown(actor: Actor, { facts, kind, at, isUndone, moment: _moment, ...row }: StepRow): Step {
    return Step.parse({
      ...facts,
      ...row,
      kind,
      at: at.toISOString(),
      isUndone,
      canUndo: !isUndone && actor.can(NEEDS[kind].undo),
    })
  }
}

const started = (job: Result<string>): Result<StepUndone> => (job.ok ? ok({ job: job.value, back: 0, left: [], moreLeft: 0 }) : job)
