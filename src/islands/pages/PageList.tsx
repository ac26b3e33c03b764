import { useVirtualizer } from '@tanstack/react-virtual'
import { useEffect, useRef } from 'react'
import type { PageList as PageListData } from '../../contract/pages.ts'
import { readableAddress } from '../../core/address/index.ts'
import { wordsOf } from '../../ui/api.ts'
import { SearchField, useLongList } from '../../ui/long-list.tsx'
import { useOneStop } from '../../ui/roving.ts'

const ROW_PX = 46
const PAGES_AT_ONCE = 200

/** The site's pages by path, with a search; draws only the rows in sight. */
export function PageList({ initial, chosen, isNarrow }: { initial: PageListData; chosen?: string; isNarrow: boolean }) {
  const place = useRef<HTMLDivElement>(null)
  const stop = useOneStop<HTMLUListElement>()
  const list = useLongList('pages.list', (search) => ({ query: { limit: PAGES_AT_ONCE, search } }), { initial })
  const { wanted, error, hasMore, isComing } = list
  const items = list.pages?.flatMap((page) => page.items) ?? []
  const total = list.pages?.[0]?.total ?? 0
  const rows = useVirtualizer({
    count: items.length,
    getScrollElement: () => place.current,
    estimateSize: () => ROW_PX,
    overscan: 12,
    initialRect: { width: 300, height: 700 },
  })
  const shown = rows.getVirtualItems()
  const lastShown = shown[shown.length - 1]?.index ?? 0
  useEffect(() => {
    if (hasMore && !isComing && lastShown >= items.length - 20) list.more()
  })
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <div className={`flex flex-wrap items-center gap-3 ${isNarrow ? 'px-3 pt-3 pb-2' : 'border-b px-4 py-2.5'}`}>
        <SearchField
          label="Find a page"
          hint="Find by title or path"
          value={list.search}
          onChange={list.setSearch}
          {...(isNarrow ? { className: '' } : {})}
        />
        <p className="note" aria-live="polite">
          {error === null ? `${total} ${total === 1 ? 'page' : 'pages'}${wanted === '' ? '' : ' found'}` : wordsOf(error)}
        </p>
      </div>
      <div ref={place} className="min-h-0 flex-1 overflow-y-auto" tabIndex={-1}>
        <ul {...stop} className="relative" style={{ height: rows.getTotalSize() }}>
          {shown.map((row) => {
            const page = items[row.index]
            if (page === undefined) return null
            return (
              <li key={page.id} className="absolute inset-x-0" style={{ top: row.start, height: ROW_PX }}>
                <a
                  href={`/pages/${page.id}`}
                  // Dropped onto words it links them to the page readers see, not to this screen.
                  onDragStart={({ dataTransfer }) => {
                    dataTransfer.setData('text/uri-list', page.address)
                    dataTransfer.setData('text/plain', page.address)
                  }}
                  aria-current={page.id === chosen ? 'page' : undefined}
                  className={`flex h-full items-center gap-3 no-underline hover:bg-sun aria-[current]:bg-sun ${isNarrow ? 'rounded-md px-3' : 'border-b px-4'}`}
                >
                  <span className="min-w-0 flex-1 leading-tight">
                    <span className="block truncate font-semibold">{page.title}</span>
                    <span className="address block truncate text-ink-soft">{readableAddress(page.path)}</span>
                  </span>
                  {!isNarrow && (
                    <span className="note w-20 shrink-0 text-right max-md:hidden">
                      {page.links} {page.links === 1 ? 'link' : 'links'}
                    </span>
                  )}
                  {!isNarrow && page.encoding !== 'utf-8' && (
                    <span className="note shrink-0 max-md:hidden" title={`Its letters are written in an older way: ${page.encoding}`}>
                      older letters
                    </span>
                  )}
                  {page.state === 'live' ? (
                    !isNarrow && <span className="w-20 shrink-0 text-sm text-sea max-md:hidden">live</span>
                  ) : (
                    <span className={`shrink-0 text-sm font-semibold text-rope-text ${isNarrow ? '' : 'w-20'}`}>{page.state}</span>
                  )}
                </a>
              </li>
            )
          })}
        </ul>
        {items.length === 0 && (
          <p className="px-4 py-8 text-center text-ink-soft">
            {wanted === ''
              ? 'There are no pages yet. Bring in a site you have, as a zip or a folder, or make the first page with “New page”.'
              : `No page has “${wanted}” in its title or path.`}
          </p>
        )}
      </div>
    </div>
  )
}
