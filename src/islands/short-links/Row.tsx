import { Pencil } from 'lucide-react'
import type { ShortLink } from '../../contract/short-links.ts'
import { CopyButton } from '../../ui/CopyButton.tsx'
import { Rope } from '../../ui/Rope.tsx'

export function Row({ link, canEdit, onEdit }: { link: ShortLink; canEdit: boolean; onEdit: () => void }) {
  return (
    <li className="grid grid-cols-[minmax(0,300px)_110px_minmax(0,1fr)_86px_auto] items-center gap-x-4 px-4 py-2.5 max-md:grid-cols-[minmax(0,1fr)_auto] max-md:gap-y-1">
      <span className="min-w-0">
        <a
          className="address block truncate font-semibold no-underline hover:underline"
          href={link.address}
          target="_blank"
          rel="noopener"
          title={link.address}
        >
          {link.address.replace(/^https?:\/\//, '')}
        </a>
        <span className="note block truncate">
          <span className="md:hidden">
            {link.clicks} {link.clicks === 1 ? 'click' : 'clicks'} ·{' '}
          </span>
          {link.title === '' ? 'no title' : link.title}
          {link.partner !== null && `, leads to ${link.partner}`}
        </span>
      </span>
      <span className="max-md:hidden">
        <Rope
          strand={link.strand}
          knots={[{ kind: 'short link', address: link.address }]}
          end={{ opens: 'same tab', lands: null }}
          width={110}
        />
      </span>
      <span className="address min-w-0 truncate text-ink-soft max-md:order-last max-md:col-span-2" title={link.destination}>
        {link.destination.replace(/^https?:\/\//, '')}
      </span>
      <span className="text-right tabular-nums max-md:hidden" data-clicks={link.slug}>
        <b>{link.clicks}</b> <span className="note">{link.clicks === 1 ? 'click' : 'clicks'}</span>
        {link.otherClicks > 0 && (
          <span className="note block text-[12.5px]" title="Robots, previews, and requests by tools: told apart, not counted">
            + {link.otherClicks} by tools
          </span>
        )}
      </span>
      <span className="flex justify-end gap-1">
        <CopyButton address={link.address} />
        {canEdit && (
          <button
            type="button"
            className="button button-plain !px-2"
            aria-label={`Change where ${link.slug} leads`}
            title="Change"
            onClick={onEdit}
          >
            <Pencil size={16} aria-hidden="true" />
          </button>
        )}
      </span>
    </li>
  )
}
