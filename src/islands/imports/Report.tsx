import { useState } from 'react'
import type { ImportApply, ImportReport } from '../../contract/imports.ts'
import { TextField } from '../../ui/TextField.tsx'
import type { InWords } from '../../words/index.ts'

/** Rows of the report drawn at once; counts always tell all. */
const ROWS_SHOWN = 300

const OUTCOMES = ['new', 'changed', 'refused', 'same'] as const

const OUTCOME_WORDS = { new: 'new', changed: 'changed', same: 'the same', refused: 'left out' } as const

export function Report({
  report,
  isBusy,
  onApply,
  onClose,
}: {
  report: InWords<ImportReport>
  isBusy: boolean
  onApply: (wanted: ImportApply) => void
  onClose: () => void
}) {
  const [shown, setShown] = useState<(typeof OUTCOMES)[number] | null>(null)
  const [joinsMenus, setJoins] = useState(false)
  const [under, setUnder] = useState('')
  const items = report.items.filter(({ outcome }) => shown === null || outcome === shown)
  const comes = report.new + report.changed
  const count = (of: 'links' | 'changes'): number => report.items.reduce((sum, item) => sum + (item[of] ?? 0), 0)
  const [links, changes] = [count('links'), count('changes')]
  return (
    <div className="grid gap-4">
      <p role="status">
        {report.isDryRun
          ? comes === 0
            ? 'Nothing new in it.'
            : `${comes} ${comes === 1 ? 'file' : 'files'} would come in. Nothing is changed yet.`
          : `${comes} ${comes === 1 ? 'file has' : 'files have'} come in, as drafts.`}
      </p>
      <div className="flex flex-wrap gap-2">
        {OUTCOMES.map((outcome) => (
          <button
            key={outcome}
            type="button"
            aria-pressed={shown === outcome}
            className={`chip ${outcome === 'refused' && report.refused > 0 ? 'chip-red' : ''} ${shown === outcome ? '!bg-sun' : ''}`}
            onClick={() => setShown(shown === outcome ? null : outcome)}
          >
            <b>{report[outcome]}</b> {OUTCOME_WORDS[outcome]}
          </button>
        ))}
      </div>
      {links > 0 && (
        <p>
          {changes === 0
            ? `Your rules leave all of the ${links} links as they are.`
            : `Your rules change ${changes} of the ${links} links as the pages are delivered; what is stored stays as it comes.`}
        </p>
      )}
      {report.isDryRun && report.folder !== null && (
        <p className="rounded-[7px] bg-sun px-4 py-2.5">
          Everything lies in one folder, <code>{report.folder}/</code>.{' '}
          {report.items.some(({ path }) => path?.startsWith(`/${report.folder ?? ''}/`)) && (
            <button
              type="button"
              className="button !min-h-0 !py-1"
              disabled={isBusy}
              onClick={() => onApply({ dryRun: true, leaveOff: report.folder ?? '' })}
            >
              Leave it off the addresses
            </button>
          )}
        </p>
      )}
      {report.isDryRun && (
        <div className="grid gap-2.5">
          <form
            className="flex flex-wrap items-end gap-2.5"
            onSubmit={(event) => {
              event.preventDefault()
              onApply({ dryRun: true, under })
            }}
          >
            <div className="min-w-[220px]">
              <TextField
                label="Put it under a folder of the site"
                isAddress
                placeholder="the site’s root"
                value={under}
                onChange={setUnder}
              />
            </div>
            <button type="submit" className="button" disabled={isBusy}>
              Look again
            </button>
          </form>
          {report.new > 0 && (
            <label className="flex min-h-6 items-center gap-2.5">
              <input type="checkbox" checked={joinsMenus} onChange={(event) => setJoins(event.target.checked)} />
              New pages join the menus that new pages join
            </label>
          )}
          {report.asksFront && (
            <p className="flex flex-wrap items-center gap-3 rounded-[7px] bg-sun px-4 py-2.5">
              <span className="flex-1">A front page is in it. It stays out, so that yours is not replaced.</span>
              <button type="button" className="button" disabled={isBusy} onClick={() => onApply({ dryRun: true, replacesFront: true })}>
                Replace my front page with it
              </button>
            </p>
          )}
        </div>
      )}
      <section className="max-h-[42dvh] overflow-auto rounded-[7px] border" tabIndex={0} aria-label="Files">
        <table className="w-full text-left text-[14px]">
          <thead className="sticky top-0 bg-sheet">
            <tr className="border-b">
              <th className="px-3 py-1.5">File</th>
              <th className="px-3">Title, or why not</th>
              <th className="px-3 max-md:hidden">Written in</th>
              <th className="px-3 text-right">Links</th>
              <th className="px-3 text-right whitespace-nowrap">Rules change</th>
              <th className="px-3"> </th>
            </tr>
          </thead>
          <tbody className="divide-y">
            {items.slice(0, ROWS_SHOWN).map((item) => (
              <tr key={item.name}>
                <td className="address max-w-[260px] truncate px-3 py-1.5 max-md:max-w-[140px]" title={item.name}>
                  {item.path ?? item.name}
                </td>
                <td className={`min-w-[170px] px-3 py-1 ${item.outcome === 'refused' ? 'text-red' : ''}`}>
                  {item.reason ?? item.title ?? <span className="note">file</span>}
                </td>
                <td className="note px-3 max-md:hidden">
                  {item.encoding === null || item.encoding === 'utf-8' ? '' : `an older way (${item.encoding})`}
                </td>
                <td className="px-3 text-right tabular-nums">{item.links}</td>
                <td className="px-3 text-right tabular-nums">{item.changes}</td>
                <td className="note px-3 whitespace-nowrap">{OUTCOME_WORDS[item.outcome]}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </section>
      {items.length > ROWS_SHOWN && <p className="note">and {items.length - ROWS_SHOWN} more</p>}
      <p className="flex justify-end gap-3">
        {report.isDryRun && (
          <button type="button" className="button button-plain" onClick={onClose}>
            Leave it
          </button>
        )}
        {report.isDryRun ? (
          <button
            type="button"
            className="button button-main"
            disabled={isBusy || comes === 0}
            onClick={() => onApply({ dryRun: false, joinsMenus })}
          >
            Bring in {comes} {comes === 1 ? 'file' : 'files'}
          </button>
        ) : (
          <button type="button" className="button button-main" onClick={onClose}>
            Done
          </button>
        )}
      </p>
    </div>
  )
}
