import type { Placement } from '../../contract/placements.ts'
import type { Verdict } from '../../core/checks/index.ts'
import { type Finding, isUnmarked, type JudgedPlacement } from '../../core/placements/index.ts'
import { becauseOf, explain, tellReason } from '../../core/rules/index.ts'
import type { Actor } from '../context.ts'

/** A placement as `actor` may see it: why a link has its marks is told in the names of rules. */
export function shownPlacement(
  actor: Actor,
  judged: JudgedPlacement,
  { lands, verdict }: { lands: boolean | null; verdict: Verdict | null },
  findings: readonly Finding[],
): Placement {
  const tellsWhy = actor.can('rules:read')
  const { placement, facts, decision } = judged
  const { page, written } = placement
  return {
    pageId: page.id,
    page: page.path,
    pageTitle: page.title,
    ordinal: placement.ordinal,
    start: placement.start,
    text: placement.text,
    href: written.href,
    kind: facts.kind,
    site: facts.site,
    isPartner: facts.isPartner,
    tags: [...facts.tags],
    lands,
    verdict,
    before: { rel: written.rel, target: written.target },
    after: { rel: decision.rel, target: decision.target },
    because: tellsWhy ? becauseOf(decision) : { rel: '', target: '' },
    explained: tellsWhy ? explain(decision).map(({ what, reason }) => ({ what, why: tellReason(reason) })) : [],
    findings: [...findings],
    isUnmarked: isUnmarked(judged),
  }
}
