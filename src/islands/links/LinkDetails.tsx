import { Dialog } from '../../ui/Dialog.tsx'
import { Rope } from '../../ui/Rope.tsx'
import { Tag } from '../../ui/Tag.tsx'
import type { Details, Row } from './messages.ts'
import { FINDING_WORDS } from './words.ts'

/** One placement in full: its rope, its tag before and after, and for each attribute the rule or hand that decided it. */
export function LinkDetails({ row, details, onClose }: { row: Row; details: Details | null; onClose: () => void }) {
  const place = row.pageKind === 'menu' ? `/menus/${row.pageId}` : `/pages/${row.pageId}?link=${row.start}`
  return (
    <Dialog title={row.text === '' ? 'A link without words' : row.text} isOpen onClose={onClose}>
      <div className="grid gap-4">
        <div className="grid gap-1">
          <Rope
            strand={row.strand}
            knots={row.isShort ? [{ kind: 'short link', address: row.href }] : []}
            end={{ opens: row.end, lands: row.lands }}
            width={460}
          />
          <p className="address">{row.href}</p>
          <p className="note">
            on <a href={place}>{row.title}</a> <span className="address">{row.page}</span>
          </p>
        </div>
        {details !== null && (
          <>
            <section>
              <h3 className="mb-1.5 text-[16px]">Why it is as it is</h3>
              <dl className="grid grid-cols-[auto_minmax(0,1fr)] gap-x-4 gap-y-1">
                {details.explained.map(({ what, why }) => (
                  <div key={what} className="contents">
                    <dt className="text-ink-soft">{what}</dt>
                    <dd className="font-semibold">{why}</dd>
                  </div>
                ))}
              </dl>
            </section>
            <section className="grid gap-1.5">
              <h3 className="text-[16px]">In the page, and as readers get it</h3>
              <Tag tag={details.before} />
              <Tag tag={details.after} before={details.before} />
            </section>
            {details.tags.length > 0 && <p className="note">Tagged {details.tags.join(', ')}</p>}
            {details.findings.map((finding) => (
              <p key={finding} className="text-red">
                {FINDING_WORDS[finding].one}: <span className="text-ink">{FINDING_WORDS[finding].why}</span>
              </p>
            ))}
          </>
        )}
        <p>
          <a className="button" href={place}>
            Open it on its page
          </a>
        </p>
      </div>
    </Dialog>
  )
}
