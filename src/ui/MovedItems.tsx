import type { Repointed } from '../contract/partner-moves.ts'
import { counted, type InWords } from '../words/index.ts'

/** What leads elsewhere, counted: "3 links on 2 pages, 1 short link". */
export const movedWords = ({
  placements,
  pages,
  shortLinks,
  redirects,
}: Pick<Repointed, 'placements' | 'pages' | 'shortLinks' | 'redirects'>): string =>
  [
    placements === 0 ? '' : `${counted(placements, 'link')} on ${counted(pages, 'page')}`,
    shortLinks === 0 ? '' : counted(shortLinks, 'short link'),
    redirects === 0 ? '' : counted(redirects, 'redirect'),
  ]
    .filter((part) => part !== '')
    .join(', ')

/** Each place that would lead elsewhere, with its address before and after. */
export function MovedItems({ items, more }: InWords<Pick<Repointed, 'items' | 'more'>>) {
  return (
    <>
      <ul className="divide-y">
        {items.map(({ where, before, after }, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: the same link may stand twice on a page
          <li key={i} className="py-1.5 text-[14px]">
            <span className="text-ink-soft">{where}</span>
            <span className="address block">
              <del>{before}</del>
            </span>
            <span className="address block">
              <ins>{after}</ins>
            </span>
          </li>
        ))}
      </ul>
      {more > 0 && <p className="note">and {more} more</p>}
    </>
  )
}
