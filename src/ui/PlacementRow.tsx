import type { Placement } from '../contract/placements.ts'
import { opensNewTab, relTokens, strandOf } from '../core/rules/index.ts'
import { type Knot, Rope, type RopeEnd } from './Rope.tsx'

/** How a placement is drawn. */
export function ropeOf({ kind, href, after, lands }: Pick<Placement, 'kind' | 'href' | 'after' | 'lands'>): {
  strand: ReturnType<typeof strandOf>
  knots: Knot[]
  end: RopeEnd
} {
  return {
    strand: strandOf(relTokens(after.rel)),
    knots: kind === 'short link' ? [{ kind: 'short link', address: href }] : [],
    end: { opens: kind === 'file' ? 'file' : opensNewTab(after.target) ? 'new tab' : 'same tab', lands },
  }
}

/** One placement as a rope: the words and the page, the rope, where it leads. */
export function PlacementRow({ placement, href }: { placement: Placement; href: string }) {
  return (
    <a
      href={href}
      className="grid grid-cols-[minmax(0,200px)_220px_minmax(0,1fr)] items-center gap-4 px-4 py-2 no-underline hover:bg-sun max-md:grid-cols-1 max-md:gap-1"
    >
      <span className="min-w-0">
        <b className="block truncate font-semibold">{placement.text === '' ? 'picture without words' : placement.text}</b>
        <span className="note block truncate">{placement.pageTitle}</span>
      </span>
      <Rope {...ropeOf(placement)} />
      <span className="address truncate" title={placement.href}>
        {placement.site ?? placement.href}
      </span>
    </a>
  )
}
