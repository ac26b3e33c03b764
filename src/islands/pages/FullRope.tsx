import type { ReactNode } from 'react'
import { type CompiledSite, type Decision, type LinkFacts, opensNewTab, relTokens, type Strand, strandOf } from '../../core/rules/index.ts'

/** The rope of one link, full size: every stop we know of, top to bottom, with its address. */
export function FullRope({ words, facts, decision, site }: { words: string; facts: LinkFacts; decision: Decision; site: CompiledSite }) {
  const strand = strandOf(relTokens(decision.rel))
  const leads = facts.kind === 'short link' && facts.address !== null ? destinationOf(facts.address, site) : facts.address
  const partner = facts.isPartner ? site.setup.partners.find(({ sites }) => facts.site !== null && sites.includes(facts.site)) : undefined
  const url = leads === null || leads === undefined ? null : new URL(leads)
  return (
    <ol className="relative grid gap-3.5 pl-8" aria-label="The rope of this link">
      <Stop strand={strand} mark={<circle cx="8" cy="8" r="4" fill="var(--ink)" />}>
        {words === '' ? 'picture on this page' : `“${words}” on this page`}
      </Stop>
      {facts.kind === 'short link' && facts.address !== null && (
        <Stop
          strand={strand}
          mark={
            <rect x="3.5" y="3.5" width="9" height="9" transform="rotate(45 8 8)" fill="var(--sheet)" stroke="var(--ink)" strokeWidth="2" />
          }
        >
          <b>short link</b>
          <span className="address block text-ink-soft">{facts.address.replace(/^https?:\/\//, '')}</span>
        </Stop>
      )}
      {partner !== undefined && (
        <Stop strand={strand} mark={<path d="M8 1.5 L14 13 L2 13 Z" fill="var(--rope)" stroke="var(--ink)" strokeWidth="1.6" />}>
          <b>partner</b> · {partner.name}
        </Stop>
      )}
      <Stop
        mark={
          facts.kind === 'file' ? (
            <rect x="3" y="3" width="10" height="10" fill="var(--sheet)" stroke="var(--edge)" strokeWidth="2.2" />
          ) : (
            <circle
              cx="8"
              cy="8"
              r="5.2"
              fill={opensNewTab(decision.target) ? 'var(--sheet)' : 'var(--edge)'}
              stroke="var(--edge)"
              strokeWidth="2.2"
            />
          )
        }
      >
        {url === null ? (
          <span className="text-red">{facts.kind === 'short link' ? 'There is no short link of this name.' : 'This is no address.'}</span>
        ) : (
          <>
            <b>{url.host === '' ? url.protocol.replace(':', '') : url.host}</b>
            <span className="address block text-ink-soft">{url.host === '' ? url.pathname : url.pathname + url.search + url.hash}</span>
            <span className="note block">not checked yet</span>
          </>
        )}
      </Stop>
    </ol>
  )
}

function destinationOf(address: string, site: CompiledSite): string | null {
  const { hostname, pathname } = new URL(address)
  return site.shortLinks.match(hostname, pathname)?.location ?? null
}

/** One stop, and the strand on to the next one; the last stop has none. */
function Stop({ mark, strand, children }: { mark: ReactNode; strand?: Strand; children: ReactNode }) {
  return (
    <li className="relative leading-snug">
      {strand !== undefined && (
        <span
          aria-hidden="true"
          className="absolute top-2.5 -bottom-6 -left-6 -translate-x-1/2"
          style={{ borderLeft: STRAND_LINES[strand] }}
        />
      )}
      <svg aria-hidden="true" width="16" height="16" className="absolute top-0.5 -left-8">
        {mark}
      </svg>
      {children}
    </li>
  )
}

const STRAND_LINES: Readonly<Record<Strand, string>> = {
  vouched: '2.6px solid var(--sea)',
  nofollow: '2.6px dashed var(--rope-text)',
  sponsored: '5px double var(--rope-text)',
  ugc: '3px dotted var(--visitor)',
}
