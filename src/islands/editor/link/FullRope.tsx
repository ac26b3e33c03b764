import type { ReactNode } from 'react'
import type { Hop } from '../../../contract/visits.ts'
import {
  type CompiledSite,
  type Decision,
  type LinkFacts,
  opensNewTab,
  relTokens,
  type Strand,
  strandOf,
} from '../../../core/rules/index.ts'
import { wordsOf } from '../../../ui/api.ts'
import { useAsk } from '../../../ui/query.tsx'

/** How long what a visit found counts as fresh. */
const FRESH_MS = 5 * 60_000

/** Follows a destination stop by stop; asked once for each address while it is fresh. */
export function useVisit(address: string | null) {
  const isWeb = address !== null && /^https?:/.test(address)
  return useAsk('visits.visit', { body: { address: address ?? '' } }, { enabled: isWeb, staleTime: FRESH_MS, retry: false })
}

/** The rope of one link, full size: every stop it is sent through, top to bottom, with its address, status and time. */
export function FullRope({ words, facts, decision, site }: { words: string; facts: LinkFacts; decision: Decision; site: CompiledSite }) {
  const { data, error, isFetching, refetch } = useVisit(facts.address)
  const strand = strandOf(relTokens(decision.rel))
  const hops = data?.hops ?? []
  return (
    <div>
      <ol className="relative grid gap-3.5 pl-8" aria-label="The rope of this link">
        <Stop strand={strand} mark={<circle cx="8" cy="8" r="4" fill="var(--ink)" />}>
          {words === '' ? 'picture on this page' : `“${words}” on this page`}
        </Stop>
        {hops.length === 0 ? (
          <Unseen facts={facts} decision={decision} isFetching={isFetching} />
        ) : (
          hops.map((hop, i) => (
            <HopStop
              key={hop.address}
              hop={hop}
              hops={hops}
              strand={strand}
              isFirst={i === 0 || hops[i - 1]?.kind === 'short link'}
              isLast={i === hops.length - 1}
              end={i === hops.length - 1 && data !== undefined ? data.says : null}
              facts={facts}
              decision={decision}
              site={site}
            />
          ))
        )}
      </ol>
      <p className="note mt-2 pl-8" aria-live="polite">
        {error !== null ? wordsOf(error) : isFetching ? 'Following it…' : null}
        {!isFetching && data !== undefined && (
          <button type="button" className="underline underline-offset-3" onClick={() => void refetch()}>
            Follow it again
          </button>
        )}
      </p>
    </div>
  )
}

const NAMES: Readonly<Record<Hop['kind'], string>> = {
  'short link': 'short link',
  hop: 'sent on',
  partner: 'partner',
  lands: '',
  refused: '',
  fails: '',
}

function HopStop({
  hop,
  hops,
  strand,
  isFirst,
  isLast,
  end,
  facts,
  decision,
  site,
}: {
  hop: Hop
  /** All of the rope. */
  hops: readonly Hop[]
  strand: Strand
  /** The start, or right behind one of our own short links: what it has was not added on the way. */
  isFirst: boolean
  isLast: boolean
  /** What there is to say of the last one, where it does not land. */
  end: string | null
  facts: LinkFacts
  decision: Decision
  site: CompiledSite
}) {
  const url = URL.canParse(hop.address) ? new URL(hop.address) : null
  const partner = site.setup.partners.find(
    ({ sites }) => url !== null && sites.some((each) => url.hostname === each || url.hostname.endsWith(`.${each}`)),
  )
  const carried = partner !== undefined && partner.account !== '' && hop.address.includes(partner.account)
  const isWell = hop.kind !== 'fails'
  return (
    <Stop {...(isLast ? {} : { strand })} mark={isLast ? endMark(facts, decision, isWell) : knotMark(hop.kind)}>
      <span className="flex items-baseline gap-2">
        <b className="min-w-0 flex-1">
          {NAMES[hop.kind] === '' ? (url?.host ?? hop.address) : NAMES[hop.kind]}
          {partner !== undefined && <span className="font-normal"> · {partner.name}</span>}
        </b>
        <span className={`shrink-0 text-[13px] ${isWell ? 'text-ink-soft' : 'text-red'}`}>
          {hop.status ?? 'no answer'} · {hop.ms} ms
        </span>
      </span>
      <span className="address block text-ink-soft [overflow-wrap:anywhere]">
        {url === null ? hop.address : NAMES[hop.kind] === '' ? url.pathname + url.search + url.hash : url.host + url.pathname + url.search}
      </span>
      {hop.kind === 'lands' && <span className="block text-[13.5px] text-sea">lands ✓</span>}
      {carried && <span className="block text-[13.5px] text-sea">our number {partner.account} is carried on</span>}
      {partner !== undefined && partner.account !== '' && !carried && isLast && !hops.some(({ lost }) => lost.includes(partner.name)) && (
        <span className="block text-[13.5px] text-red">our number {partner.account} is not on it</span>
      )}
      {!isFirst && hop.added.length > 0 && <span className="note block">added: {hop.added.join(', ')}</span>}
      {!isFirst && hop.dropped.length > 0 && <span className="note block">dropped: {hop.dropped.join(', ')}</span>}
      {hop.lost.map((name) => (
        <span key={name} className="block text-[13.5px] text-red">
          our number for {name} was lost on the way here: the stop before still had it
        </span>
      ))}
      {end !== null && <span className={`block text-[13.5px] ${isWell ? 'text-ink-soft' : 'text-red'}`}>{end}</span>}
    </Stop>
  )
}

/** What can be said before anybody has followed the link, or of what cannot be followed (mail, phone). */
function Unseen({ facts, decision, isFetching }: { facts: LinkFacts; decision: Decision; isFetching: boolean }) {
  const url = facts.address === null ? null : new URL(facts.address)
  return (
    <Stop mark={endMark(facts, decision, facts.address !== null)}>
      {url === null ? (
        <span className="text-red">This is no address.</span>
      ) : (
        <>
          <b>{url.host === '' ? url.protocol.replace(':', '') : url.host}</b>
          <span className="address block text-ink-soft">
            {url.host === '' ? decodeURIComponent(url.pathname) : url.pathname + url.search + url.hash}
          </span>
          {url.host !== '' && !isFetching && <span className="note block">not checked yet</span>}
        </>
      )}
    </Stop>
  )
}

function knotMark(kind: Hop['kind']): ReactNode {
  if (kind === 'short link')
    return <rect x="3.5" y="3.5" width="9" height="9" transform="rotate(45 8 8)" fill="var(--sheet)" stroke="var(--ink)" strokeWidth="2" />
  if (kind === 'partner') return <path d="M8 1.5 L14 13 L2 13 Z" fill="var(--rope)" stroke="var(--ink)" strokeWidth="1.6" />
  return <rect x="3.5" y="3.5" width="9" height="9" fill="var(--ink)" />
}

function endMark(facts: LinkFacts, decision: Decision, isWell: boolean): ReactNode {
  if (!isWell) return <path d="M1 8 H7 M7 8 L14 3 M7 8 L15 8 M7 8 L14 13" fill="none" stroke="var(--red)" strokeWidth="2" />
  if (facts.kind === 'file') return <rect x="3" y="3" width="10" height="10" fill="var(--sheet)" stroke="var(--ink)" strokeWidth="2.2" />
  return (
    <circle
      cx="8"
      cy="8"
      r="5.2"
      fill={opensNewTab(decision.target) ? 'var(--sheet)' : 'var(--ink)'}
      stroke="var(--ink)"
      strokeWidth="2.2"
    />
  )
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
