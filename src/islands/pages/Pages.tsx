import { Download, FilePlus, FolderInput } from 'lucide-react'
import { useState } from 'react'
import type { PageList as PageListData } from '../../contract/pages.ts'
import { Queries } from '../../ui/query.tsx'
import { BringIn } from '../imports/BringIn.tsx'
import { NewPage } from './NewPage.tsx'
import { PageList } from './PageList.tsx'

/** All pages of the site, bringing a site in, and taking it out. */
export function Pages({
  initial,
  canImport,
  canExport,
  canMake,
  isBringingIn,
}: {
  initial: PageListData
  canImport: boolean
  canExport: boolean
  canMake: boolean
  isBringingIn: boolean
}) {
  const [isOpen, setOpen] = useState(isBringingIn && canImport)
  const [isMaking, setMaking] = useState(false)
  return (
    <Queries>
      <div className="mx-auto flex h-[calc(100%-42px)] max-w-[1120px] flex-col gap-4 px-5 py-7 max-md:px-3">
        <header className="flex flex-wrap items-center justify-between gap-3">
          <h1 className="text-[26px]">Pages</h1>
          <div className="flex flex-wrap gap-2.5">
            {canExport && (
              <a
                className="button"
                href="/api/v1/exports/site.zip?of=live"
                download
                title="As static files. Pages that came in as Markdown go out as Markdown (.md)."
              >
                <Download size={16} aria-hidden="true" />
                Take the live site as a zip
              </a>
            )}
            {canImport && (
              <button type="button" className="button" onClick={() => setOpen(true)}>
                <FolderInput size={16} aria-hidden="true" />
                Bring in a site
              </button>
            )}
            {canMake && (
              <button type="button" className="button button-main" onClick={() => setMaking(true)}>
                <FilePlus size={16} aria-hidden="true" />
                New page
              </button>
            )}
          </div>
        </header>
        <section className="sheet flex min-h-[280px] flex-1 flex-col overflow-hidden" aria-label="Pages of the site">
          <PageList initial={initial} isNarrow={false} />
        </section>
      </div>
      {isOpen && <BringIn onClose={() => setOpen(false)} />}
      {isMaking && <NewPage pages={initial.items} onClose={() => setMaking(false)} />}
    </Queries>
  )
}
