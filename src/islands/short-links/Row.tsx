import { ExternalLink } from 'lucide-react'
import type { ShortLink } from '../../contract/short-links.ts'
import { CopyButton } from '../../ui/CopyButton.tsx'
import { Rope } from '../../ui/Rope.tsx'
import { bare, STATE_WORDS } from './words.ts'

export function Row({
  link,
  isChosen,
  onChoose,
}: {
  link: ShortLink
  isChosen: boolean
  /** Null where nothing can be done with those that are chosen. */
  onChoose: ((isChosen: boolean) => void) | null
}) {
  return (
    <li className="grid grid-cols-[24px_minmax(0,340px)_110px_minmax(0,1fr)_86px_auto] items-center gap-x-4 px-4 py-2.5 max-md:grid-cols-[24px_minmax(0,1fr)_auto] max-md:gap-y-1">
      {onChoose === null ? (
        <span />
      ) : (
        <input type="checkbox" aria-label={`Choose ${link.slug}`} checked={isChosen} onChange={({ target }) => onChoose(target.checked)} />
      )}
      <span className="min-w-0">
        <a
          className="address flex font-semibold no-underline hover:underline"
          href={`/short-links/${link.id}`}
          aria-label={bare(link.address)}
          title={link.address}
        >
          {/* On a phone there is room for what differs alone. */}
          <span className="min-w-8 truncate text-ink-soft max-md:hidden">{bare(link.address).slice(0, -link.slug.length)}</span>
          <span aria-hidden="true" className="text-ink-soft md:hidden">
            …/
          </span>
          <span className="max-w-full shrink-0 truncate">{link.slug}</span>
        </a>
        <span className="note block truncate">
          <span className="md:hidden">
            {link.clicks} {link.clicks === 1 ? 'click' : 'clicks'} ·{' '}
          </span>
          {link.title === '' ? 'no title' : link.title}
          {link.partner !== null && `, leads to ${link.partner}`}
          {link.slugs.length > 1 && `, ${link.slugs.length} spellings`}
        </span>
        {(link.state !== 'answers' || link.tags.length > 0 || link.course.split !== null) && (
          <span className="mt-0.5 flex flex-wrap gap-1 text-[12.5px]">
            {link.state !== 'answers' && <b className="text-red">{STATE_WORDS[link.state]}</b>}
            {link.course.split !== null && <span className="text-rope-text">shared out</span>}
            {link.tags.map((tag) => (
              <span key={tag} className="rounded bg-sun px-1.5">
                {tag}
              </span>
            ))}
          </span>
        )}
      </span>
      <span className="max-md:hidden">
        <Rope
          strand={link.strand}
          knots={[{ kind: 'short link', address: link.address }]}
          end={{ opens: 'same tab', lands: null }}
          width={110}
        />
      </span>
      <span className="address min-w-0 truncate text-ink-soft max-md:order-last max-md:col-span-3" title={link.destination}>
        {bare(link.destination)}
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
        <a
          className="button button-plain !px-2"
          href={link.address}
          target="_blank"
          rel="noopener"
          aria-label={`Follow ${link.slug} in a new tab`}
          title="Follow it"
        >
          <ExternalLink size={16} aria-hidden="true" />
        </a>
      </span>
    </li>
  )
}
