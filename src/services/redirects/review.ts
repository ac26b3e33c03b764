import { mayAsk } from '../../contract/operation.ts'
import type {
  RedirectFinding,
  RedirectMend,
  RedirectMended,
  RedirectReviewAnswer,
  RedirectSuggestAnswer,
  RedirectSuggestRequest,
} from '../../contract/redirect-review.ts'
import { redirectReview as calls, MENDED_MAX } from '../../contract/redirect-review.ts'
import type { RedirectStepItem } from '../../contract/redirect-steps.ts'
import { parseUrl } from '../../core/address/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import { FINDING_KINDS, type Finding, type FindingKind, type RedirectReview, type ReviewRow } from '../../core/routing/index.ts'
import { type Said, tell } from '../../words/index.ts'
import type { Actor, SiteViews } from '../context.ts'
import { soon } from '../patience.ts'
import type { RedirectKnowledge } from './knowledge.ts'
import type { redirectStepsService } from './steps.ts'

/** Findings shown at once. */
const SHOWN = 100
/** Suggestions for one address. */
const SUGGESTED = 5

/** What is wrong is told at once; pages to lead to instead come at a later look where the site's have to be read first. */
const SUGGESTED_WITHIN_MS = 300

/** From here on a page is offered in place of one that a row leads to in vain: more likely than not. */
const LIKELY = 0.5

/** What is wrong in a table of redirects, and what mends it. */
export function redirectReviewService(views: SiteViews, knowledge: RedirectKnowledge, steps: ReturnType<typeof redirectStepsService>) {
  return {
    async look(
      actor: Actor,
      { kind, cursor }: { kind?: FindingKind | undefined; cursor: number },
    ): Promise<Result<RedirectReviewAnswer, 'forbidden'>> {
      if (!mayAsk(actor, calls.look)) return fail('forbidden')
      const view = await views.of(actor)
      const { review, findings } = await knowledge.findings(view)
      const wanted = kind === undefined ? findings : findings.filter((each) => each.kind === kind)
      const shownNow = wanted.slice(cursor, cursor + SHOWN)
      const asked = shownNow.some((finding) => isLost(finding, review.row(finding.id)))
      const finder = asked ? await soon(SUGGESTED_WITHIN_MS, knowledge.finder(view)) : null
      return ok({
        rows: review.size,
        counts: FINDING_KINDS.flatMap((each) => {
          const all = findings.filter((finding) => finding.kind === each)
          return all.length === 0 ? [] : [{ kind: each, rows: all.length, mendable: all.filter(({ mend }) => mend !== null).length }]
        }),
        items: shownNow.flatMap((finding) =>
          shown(review, finding, (path) => finder?.suggest({ path }, 1).find(({ score }) => score >= LIKELY)?.to ?? null),
        ),
        areSuggestionsComing: asked && finder === null,
        total: wanted.length,
        next: cursor + SHOWN < wanted.length ? String(cursor + SHOWN) : null,
      })
    },

    /** Carries mends out together. A row that has several things wrong is mended of the first. */
    async mend(actor: Actor, { kinds, rows, dryRun = false }: RedirectMend): Promise<Result<RedirectMended, 'forbidden'>> {
      if (!mayAsk(actor, calls.mend)) return fail('forbidden')
      const { review, findings } = await knowledge.findings(await views.of(actor))
      const chosen = rows === undefined ? null : new Set(rows)
      const taken = new Map<string, { finding: Finding; row: ReviewRow; item: RedirectStepItem }>()
      for (const finding of findings) {
        const row = review.row(finding.id)
        if (finding.mend === null || row === null || taken.has(row.id) || taken.size >= MENDED_MAX) continue
        if ((kinds !== undefined && !kinds.includes(finding.kind)) || (chosen !== null && !chosen.has(row.id))) continue
        taken.set(row.id, { finding, row, item: itemOf(finding, row) })
      }
      const planned = [...taken.values()]
      if (planned.length === 0) return ok({ step: null, made: 0, changed: 0, removed: 0, rows: [], refused: [], items: [] })
      const done = await steps.create(actor, {
        what: tell('redirect.mended', { rows: planned.length }),
        items: planned.map(({ item }) => item),
        dryRun,
      })
      if (!done.ok) return done
      const left = new Set(done.value.refused.map(({ index }) => index))
      return ok({
        ...done.value,
        items: planned.flatMap(({ finding, row }, i) =>
          left.has(i) ? [] : [{ kind: finding.kind, id: row.id, from: row.from, before: row.to, after: wordsOf(finding) }],
        ),
      })
    },

    /** Pages for addresses that nobody answers, best first. */
    async suggest(actor: Actor, { from, title }: RedirectSuggestRequest): Promise<Result<RedirectSuggestAnswer, 'forbidden'>> {
      if (!mayAsk(actor, calls.suggest)) return fail('forbidden')
      const view = await views.of(actor)
      const finder = await knowledge.finder(view)
      const items: RedirectSuggestAnswer['items'] = []
      for (const address of from) {
        const path = parseUrl(address.trim(), `${view.origin}/`)?.pathname ?? '/'
        const called = from.length === 1 && title !== undefined ? title : await knowledge.titleAt(view, path)
        items.push({
          from: address,
          suggestions: [...finder.suggest({ path, ...(called === undefined ? {} : { title: called }) }, SUGGESTED)],
        })
      }
      return ok({ items })
    },
  }
}

/** Whether a page is looked for in place of where it leads. A row for many addresses is never led to one page: some may be answered well. */
const isLost = ({ kind }: Finding, row: ReviewRow | null): boolean => row?.match === 'exact' && (kind === 'dead' || kind === 'loop')

const foundRow = ({ id, from, to, status, match, isOn, version }: ReviewRow) => ({ id, from, to, status, match, isOn, version })

function shown(review: RedirectReview, finding: Finding, suggest: (path: string) => string | null): RedirectFinding[] {
  const { kind, id, stops, other, mend } = finding
  const row = review.row(id)
  if (row === null) return []
  const beside = other === null ? null : review.row(other)
  return [
    {
      kind,
      row: foundRow(row),
      stops: [...stops],
      other: beside === null ? null : foundRow(beside),
      mend,
      suggestion: isLost(finding, row) ? suggest(kind === 'dead' ? (stops[stops.length - 1] ?? row.to) : row.from) : null,
    },
  ]
}

function itemOf({ mend }: Finding, { id, version }: ReviewRow): RedirectStepItem {
  if (mend === null || 'isRemoved' in mend) return { do: 'remove', id }
  return { do: 'change', id, change: { version, ...mend } }
}

const wordsOf = ({ mend }: Finding): Said =>
  mend === null ? '' : 'to' in mend ? mend.to : 'isOn' in mend ? tell('redirect.switched-off') : tell('redirect.removed')
