import type { LinkChange } from '../contract/publications.ts'
import { readableAddress } from '../core/address/index.ts'
import { opensNewTab, relTokens, strandOf } from '../core/rules/index.ts'
import { Rope } from './Rope.tsx'

/** Links that came, went, or are other ones now: each before and after, as ropes. */
export function LinkChanges({ links, more }: { links: readonly LinkChange[]; more: number }) {
  return (
    <ul className="grid gap-2">
      {links.map((change, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: the same change may stand twice on a page
        <li key={i} className="grid grid-cols-[minmax(0,170px)_minmax(0,1fr)] items-start gap-3 max-md:grid-cols-1 max-md:gap-1">
          <span className="min-w-0">
            <b className="block truncate font-semibold">{change.text === '' ? 'picture without words' : change.text}</b>
            <span className="note">{change.before === null ? 'new link' : change.after === null ? 'link taken off' : 'changed'}</span>
          </span>
          <span className="grid gap-1">
            {change.before !== null && <Side link={change.before} isGone />}
            {change.after !== null && <Side link={change.after} isGone={false} />}
          </span>
        </li>
      ))}
      {more > 0 && <li className="note">and {more} more</li>}
    </ul>
  )
}

function Side({ link, isGone }: { link: NonNullable<LinkChange['after']>; isGone: boolean }) {
  return (
    <span className="flex min-w-0 flex-wrap items-center gap-x-3">
      <span className={isGone ? 'opacity-60' : ''}>
        <Rope
          strand={strandOf(relTokens(link.rel))}
          knots={[]}
          end={{ opens: opensNewTab(link.target) ? 'new tab' : 'same tab', lands: null }}
          width={110}
        />
      </span>
      <span className={`address min-w-0 flex-1 [overflow-wrap:anywhere] ${isGone ? 'text-ink-soft line-through' : ''}`}>
        {readableAddress(link.href)}
      </span>
    </span>
  )
}
