import type { PublicationNew, PublicationReview } from '../../contract/publications.ts'
import { readableAddress } from '../../core/address/index.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { counted, list } from '../../words/index.ts'

export interface Asked {
  readonly wanted: PublicationNew
  readonly review: PublicationReview
}

/** One's own pages go out at once; other people's work, and what would break, is asked about. */
export const needsAnswer = ({ byOthers, missing, menus, breaks, nowhere, titles, unmarked }: PublicationReview): boolean =>
  byOthers > 0 || [missing, menus, breaks, nowhere, titles, unmarked].some(({ length }) => length > 0)

const LISTED = 12

/** Where links to a page are: "on 2 pages and in 1 menu". */
const fromWords = ({ pages, menus, blocks }: { readonly pages: number; readonly menus: number; readonly blocks: number }): string =>
  list([
    ...(pages > 0 ? [`on ${counted(pages, 'page')}`] : []),
    ...(menus > 0 ? [`in ${counted(menus, 'menu')}`] : []),
    ...(blocks > 0 ? [`in ${counted(blocks, 'block')}`] : []),
  ])

/** What a publication takes along and what it breaks, before it does. */
export function ReviewDialog({
  asked,
  isBusy,
  onPublish,
  onMark,
  onClose,
}: {
  asked: Asked
  isBusy: boolean
  onPublish: (wanted: PublicationNew) => void
  /** Marks these links as paid, and looks again. */
  onMark: (asked: Asked) => void
  onClose: () => void
}) {
  const { wanted, review } = asked
  const { items, byOthers, missing, menus, breaks, nowhere, titles, unmarked, pages } = review
  const others = items.filter(({ isMine }) => !isMine)
  const mine = items.filter(({ isMine }) => isMine)
  const along = [...missing, ...menus]
  const both: PublicationNew | null =
    along.length === 0 || 'all' in wanted ? null : { pages: [...wanted.pages, ...along.map(({ id }) => id)] }
  return (
    <Dialog title={`Publish ${counted(pages, 'page')}?`} isOpen onClose={onClose}>
      <div className="grid gap-4">
        {byOthers > 0 && (
          <section>
            <h3 className="font-text font-semibold">
              {byOthers === pages
                ? pages === 1
                  ? 'It was changed by somebody else'
                  : 'All of them were changed by others'
                : `${byOthers} of them ${byOthers === 1 ? 'was' : 'were'} changed by others`}
            </h3>
            <ul className="mt-1">
              {others.slice(0, LISTED).map(({ id, title, by }) => (
                <li key={id}>
                  {title} <span className="note">by {by ?? 'somebody'}</span>
                </li>
              ))}
            </ul>
            {others.length > LISTED && <p className="note">and {others.length - LISTED} more</p>}
          </section>
        )}
        {missing.length > 0 && (
          <section>
            <h3 className="font-text font-semibold text-red">
              {missing.length === 1 ? 'A page they lead to is not published' : `${missing.length} pages they lead to are not published`}
            </h3>
            <p className="note">Readers who follow these links would find nothing.</p>
            <ul className="mt-1">
              {missing.slice(0, LISTED).map(({ id, title, path, from }) => (
                <li key={id}>
                  {title} <span className="address text-ink-soft">{readableAddress(path)}</span>{' '}
                  <span className="note">linked on “{from}”</span>
                </li>
              ))}
            </ul>
          </section>
        )}
        {menus.length > 0 && (
          <section>
            <h3 className="font-text font-semibold">
              {menus.length === 1
                ? 'The menu that leads there is not published with it'
                : 'Menus that lead there are not published with it'}
            </h3>
            <ul className="mt-1">
              {menus.slice(0, LISTED).map(({ id, title, page }) => (
                <li key={id}>
                  {title} <span className="note">has an entry for “{page}”, which readers do not see until the menu is published</span>
                </li>
              ))}
            </ul>
          </section>
        )}
        {nowhere.length > 0 && (
          <section>
            <h3 className="font-text font-semibold text-red">
              {nowhere.length === 1 ? 'A new link leads to where nothing is' : `${nowhere.length} new links lead to where nothing is`}
            </h3>
            <ul className="mt-1">
              {nowhere.slice(0, LISTED).map(({ pageId, title, text, address }) => (
                <li key={`${pageId} ${text} ${address}`}>
                  “{text}” <span className="note">on “{title}”:</span>{' '}
                  <span className="address text-ink-soft">{readableAddress(address.replace(/^https?:\/\/[^/]+/, ''))}</span>
                </li>
              ))}
            </ul>
            {nowhere.length > LISTED && <p className="note">and {nowhere.length - LISTED} more</p>}
          </section>
        )}
        {titles.length > 0 && (
          <section>
            <h3 className="font-text font-semibold">
              {titles.length === 1 ? 'A menu title leads nowhere' : `${titles.length} menu titles lead nowhere`}
            </h3>
            <p className="note">Readers who press one stay where they are. In the menu, a title can be given a landing.</p>
            <ul className="mt-1">
              {titles.slice(0, LISTED).map(({ id, title, label }) => (
                <li key={`${id} ${label}`}>
                  “{label}” <span className="note">in “{title}”</span>
                </li>
              ))}
            </ul>
            {titles.length > LISTED && <p className="note">and {titles.length - LISTED} more</p>}
          </section>
        )}
        {breaks.length > 0 && (
          <section>
            <h3 className="font-text font-semibold text-red">
              {breaks.length === 1 ? 'A page goes that others lead to' : 'Pages go that others lead to'}
            </h3>
            <ul className="mt-1">
              {breaks.slice(0, LISTED).map(({ title, path, ...from }) => (
                <li key={path}>
                  {title} <span className="address text-ink-soft">{readableAddress(path)}</span>{' '}
                  <span className="note">linked {fromWords(from)}</span>
                </li>
              ))}
            </ul>
          </section>
        )}
        {unmarked.length > 0 && (
          <section>
            <h3 className="font-text font-semibold text-red">
              {unmarked.length === 1 ? 'A paid link does not say so' : `${unmarked.length} paid links do not say so`}
            </h3>
            <p className="note">They lead to partners who pay, and a rule or a hand keeps that from search engines.</p>
            <ul className="mt-1">
              {unmarked.slice(0, LISTED).map(({ pageId, title, text, ordinal }) => (
                <li key={`${pageId} ${ordinal}`}>
                  “{text}” <span className="note">on “{title}”</span>
                </li>
              ))}
            </ul>
            {unmarked.length > LISTED && <p className="note">and {unmarked.length - LISTED} more</p>}
            <button type="button" className="button mt-2" disabled={isBusy} onClick={() => onMark(asked)}>
              Mark {unmarked.length === 1 ? 'it' : 'them'} as paid
            </button>
          </section>
        )}
        <p className="flex flex-wrap justify-end gap-2.5">
          {'all' in wanted && byOthers > 0 && mine.length > 0 && mine.length + others.length === pages && (
            <button type="button" className="button" disabled={isBusy} onClick={() => onPublish({ pages: mine.map(({ id }) => id) })}>
              Only mine ({mine.length})
            </button>
          )}
          {both !== null && (
            <button type="button" className="button button-main" disabled={isBusy} onClick={() => onPublish(both)}>
              Publish {pages + along.length === 2 ? 'both' : 'all of them'}
            </button>
          )}
          <button
            type="button"
            className={`button ${both === null ? 'button-main' : ''}`}
            disabled={isBusy}
            onClick={() => onPublish(wanted)}
          >
            {both === null ? `Publish ${counted(pages, 'page')}` : `Publish without ${along.length === 1 ? 'it' : 'them'}`}
          </button>
        </p>
      </div>
    </Dialog>
  )
}
