/**
 * Holds every placement of the site in a thread of its own: the list is narrowed, and the impact of rules worked out, while
 * the screen goes on answering.
 */
import {
  endOf,
  type Fine,
  type JudgedPlacement,
  landsOf,
  PlacementList,
  type PlacementPage,
  readPlacement,
  type SentPlacement,
  shownImpact,
  tagWith,
} from '../../core/placements/index.ts'
import {
  type CompiledSite,
  compileRules,
  compileSite,
  decide,
  explain,
  ImpactTally,
  type Rule,
  relTokens,
  type SiteSetup,
  sayReason,
  strandOf,
  unheardRules,
  withShortLinks,
} from '../../core/rules/index.ts'
import { wordsOf } from '../../ui/api.ts'
import { askLines } from '../../ui/lines.ts'
import type { FromEngine, Row, ToEngine } from './messages.ts'

interface Head {
  readonly fine: readonly (readonly [string, Fine])[]
  readonly stamp: string
  readonly setup: SiteSetup
  readonly port: number
  readonly paths: readonly string[]
  readonly total: number
}

/** A stretch of the list, with where the short links lead that are new in it. */
interface Part {
  readonly pages: readonly PlacementPage[]
  readonly rows: readonly SentPlacement[]
  readonly shortLinks: readonly { readonly host: string; readonly slug: string; readonly destination: string }[]
}

/** Placements looked at between two looks at what else is asked. */
const SLICE = 8_000

let list: PlacementList | null = null
let site: CompiledSite | null = null
const shortLinks = new Map<string, string>()
let stamp = ''
let loading = 0
let newestImpact = 0
let lastAsk: Extract<ToEngine, { type: 'ask' }> | null = null

const tell = (message: FromEngine, transfer: Transferable[] = []): void => postMessage(message, { transfer })
/** Lets messages that have come meanwhile be heard. */
const breathe = (): Promise<void> =>
  new Promise((resolve) => {
    const { port1, port2 } = new MessageChannel()
    port1.onmessage = () => resolve()
    port2.postMessage(null)
  })

/** @param known - the stamp of what is here already; nothing is loaded where it is still the newest */
async function load(known: string | null): Promise<void> {
  const turn = ++loading
  const startedAt = performance.now()
  const stop = new AbortController()
  try {
    const pages: PlacementPage[] = []
    let made: PlacementList | null = null
    for await (const line of askLines('/placements/all', stop.signal)) {
      if (turn !== loading) return stop.abort()
      if (made === null) {
        const head = JSON.parse(line) as Head
        if (head.stamp === known) return stop.abort()
        stamp = head.stamp
        shortLinks.clear()
        site = withShortLinks(compileSite(head.setup, head.port), (host, slug) => shortLinks.get(`${host} ${slug}`) ?? null)
        made = new PlacementList(site, new Set(head.paths), new Map(head.fine))
        list = made
        tell({
          type: 'started',
          total: head.total,
          partners: Object.fromEntries(head.setup.partners.map(({ id, name }) => [id, name])),
          rules: Object.fromEntries(head.setup.rules.map(({ id, name }, i) => [id, `rule ${i + 1}: ${name}`])),
        })
        continue
      }
      const part = JSON.parse(line) as Part
      pages.push(...part.pages)
      for (const { host, slug, destination } of part.shortLinks) shortLinks.set(`${host} ${slug}`, destination)
      const from = made.judged.length
      made.add(part.rows.map((row) => readPlacement(pages, row)))
      const paths = made.paths
      tell({ type: 'rows', from, rows: made.judged.slice(from).map((judged) => rowOf(judged, paths)) })
      if (lastAsk !== null && from === 0) answerList(lastAsk)
      await breathe()
    }
    tell({ type: 'loaded', count: made?.judged.length ?? 0, ms: performance.now() - startedAt })
    if (lastAsk !== null) answerList(lastAsk)
  } catch (error) {
    if (!(error instanceof DOMException && error.name === 'AbortError')) tell({ type: 'failed', why: wordsOf(error) })
  }
}

const STATES = { vouched: 'vouched', nofollow: 'not vouched', sponsored: 'paid', ugc: 'visitor’s' } as const

function rowOf(judged: JudgedPlacement, paths: ReadonlySet<string>): Row {
  const { placement, facts, decision } = judged
  const { page, ordinal, start, text, written } = placement
  const strand = strandOf(relTokens(decision.rel))
  const lands = landsOf(facts, paths)
  const { hints } = decision.because
  const by =
    hints.by === 'rule'
      ? `rule ${hints.number}`
      : hints.by === 'hand'
        ? 'by hand'
        : hints.by === 'sponsor'
          ? 'written for a partner'
          : hints.by === 'queue'
            ? 'waits for a look'
            : ''
  const faults = [
    ...(facts.isPartner && strand !== 'sponsored' && !facts.isWaiting ? ['paid but unmarked'] : []),
    ...(lands === false ? ['does not land'] : []),
  ]
  const isInside = facts.kind === 'inside page' || facts.kind === 'section' || facts.kind === 'file'
  return {
    pageId: page.id,
    page: page.path,
    title: page.title,
    pageKind: page.kind,
    ordinal,
    start,
    text,
    href: written.href,
    leads:
      isInside && facts.address !== null
        ? pathOf(facts.address)
        : facts.kind === 'short link' || facts.site === null
          ? written.href
          : facts.site,
    strand,
    end: endOf(judged),
    lands,
    isShort: facts.kind === 'short link',
    isPartner: facts.isPartner,
    state: faults.length > 0 ? faults.join(', ') : `${STATES[strand]}${by === '' ? '' : ` · ${by}`}`,
    isFaulty: faults.length > 0,
  }
}

const pathOf = (address: string): string => {
  const { pathname, hash } = new URL(address)
  return pathname + hash
}

function answerList(asked: Extract<ToEngine, { type: 'ask' }>): void {
  if (list === null) return
  const answer = list.ask(asked.query)
  const groups = asked.isGrouped ? list.group(answer.found) : null
  tell({ type: 'answer', id: asked.id, groups, ...answer }, [answer.found.buffer])
}

/** In slices: a rule that is still being typed gives way to the next letter. */
async function workOutImpact(id: number, rules: readonly Rule[]): Promise<void> {
  newestImpact = id
  const startedAt = performance.now()
  if (list === null || site === null) return
  const draft = compileRules(rules)
  const tally = new ImpactTally<JudgedPlacement>(site.rules, draft)
  const looked = list
  const { judged: all } = looked
  for (let i = 0; i < all.length; ) {
    for (const end = Math.min(i + SLICE, all.length); i < end; i++) {
      const judged = all[i]
      if (judged !== undefined) tally.add(judged.placement.page.path, judged.facts, judged, judged.decision, looked.alikeAt(i))
    }
    await breathe()
    if (newestImpact !== id) return
  }
  const impact = shownImpact(tally.result(), (judged) => decide(draft, judged.facts))
  tell({ type: 'impact', id, impact, unheard: unheardRules(draft), ms: performance.now() - startedAt })
}

function tellDetails(id: number, index: number): void {
  const judged = list?.judged[index]
  if (judged === undefined || list === null) return
  tell({
    type: 'details',
    id,
    details: {
      before: judged.placement.tag,
      after: tagWith(judged, judged.decision),
      explained: explain(judged.decision).map(({ what, reason }) => ({ what, why: sayReason(reason) })),
      tags: judged.facts.tags,
      findings: list.findingsAt(index),
      fine: list.fineAt(index),
    },
  })
}

addEventListener('message', ({ data }: MessageEvent<ToEngine>) => {
  switch (data.type) {
    case 'load':
      return void load(null)
    case 'refresh':
      return void load(data.isForced ? null : stamp)
    case 'ask':
      lastAsk = data
      return answerList(data)
    case 'impact':
      return void workOutImpact(data.id, data.rules)
    case 'details':
      return tellDetails(data.id, data.index)
  }
})
