/**
 * Holds every placement of the site in a thread of its own: the list is narrowed, and the impact of rules worked out, while
 * the screen goes on answering.
 */

import { LED_MAX, LED_PATH_MAX_CHARS } from '../../contract/placements.ts'
import {
  PlacementList,
  type PlacementPage,
  type PlacementsHead,
  type PlacementsPart,
  readPlacement,
  rowOf,
  shownImpact,
  type ToldVerdict,
  tagWith,
} from '../../core/placements/index.ts'
import {
  type CompiledSite,
  compileRules,
  compileSite,
  decide,
  explain,
  type RulesDraft,
  tellReason,
  unheardRules,
  withShortLinks,
} from '../../core/rules/index.ts'
import { call, callLines, wordsOf } from '../../ui/api.ts'
import { inWords } from '../../words/index.ts'
import type { FromEngine, ShownRow, ToEngine } from './messages.ts'

/** Rows handed to the screen at once. */
const SLICE = 5_000

let list: PlacementList | null = null
const shortLinks = new Map<string, string>()
let stamp: number | null = null
/** What is said of destinations, also of those that no link leads to yet. */
const verdicts = new Map<string, ToldVerdict>()
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

const siteOf = ({ setup, port }: Pick<PlacementsHead, 'setup' | 'port'>): CompiledSite =>
  withShortLinks(compileSite(setup, port), (host, slug) => shortLinks.get(`${host} ${slug}`) ?? null)

function learn(named: PlacementsHead['shortLinks']): void {
  for (const { host, slug, destination } of named) {
    if (destination === null) shortLinks.delete(`${host} ${slug}`)
    else shortLinks.set(`${host} ${slug}`, destination)
  }
}

/** Loads everything, or what has changed since the last time. */
async function load(): Promise<void> {
  const turn = ++loading
  const stop = new AbortController()
  try {
    const lines = callLines('placements.send', { query: stamp === null ? {} : { after: stamp } }, stop.signal)
    const { value: first } = await lines.next()
    if (turn !== loading || first === undefined) return stop.abort()
    const head = JSON.parse(first) as PlacementsHead
    if (head.after !== null && head.stamp === stamp) return stop.abort()
    const isDone = await (head.after === null ? loadAll(head, lines, turn) : takeChanges(head, lines, turn))
    if (!isDone) return stop.abort()
    stamp = head.stamp
  } catch (error) {
    if (!(error instanceof DOMException && error.name === 'AbortError')) tell({ type: 'failed', why: wordsOf(error) })
  }
}

/** @returns false where something newer is being loaded */
async function loadAll(head: PlacementsHead, lines: AsyncGenerator<string>, turn: number): Promise<boolean> {
  const startedAt = performance.now()
  shortLinks.clear()
  const paths = new Set(head.paths.map(({ path }) => path))
  const made = new PlacementList(siteOf(head), { paths, fine: new Map(head.fine) }, { keepsTags: true })
  verdicts.clear()
  for (const each of head.verdicts) verdicts.set(each.address, each)
  list = made
  tell({
    type: 'started',
    total: head.total ?? 0,
    isLarge: head.isLarge,
    partners: Object.fromEntries(head.setup.partners.map(({ id, name }) => [id, name])),
    rules: Object.fromEntries(head.setup.rules.map(({ id, name }, i) => [id, `rule ${i + 1}: ${name}`])),
  })
  const pages: PlacementPage[] = []
  for await (const line of lines) {
    if (turn !== loading) return false
    const from = made.rows.length
    take(made, pages, JSON.parse(line) as PlacementsPart)
    tellRows(made, from)
    if (lastAsk !== null && from === 0) answerList(lastAsk)
    await breathe()
  }
  made.knowVerdicts([...verdicts.values()])
  await learnLed(made)
  tellRows(made, 0)
  tell({ type: 'loaded', count: made.total, ms: performance.now() - startedAt })
  if (lastAsk !== null) answerList(lastAsk)
  return true
}

function take(into: PlacementList, pages: PlacementPage[], part: PlacementsPart): void {
  pages.push(...part.pages)
  learn(part.shortLinks)
  into.add(part.rows.map((row) => readPlacement(pages, row)))
}

/** Puts what changed in place of what was here; what did not change is neither sent nor judged again. */
async function takeChanges(head: PlacementsHead, lines: AsyncGenerator<string>, turn: number): Promise<boolean> {
  const parts: PlacementsPart[] = []
  for await (const line of lines) parts.push(JSON.parse(line) as PlacementsPart)
  const known = list
  if (turn !== loading || known === null) return false
  const { generation, length: from } = known.rows
  const pages: PlacementPage[] = []
  const gone = new Set(head.changed)
  const isOther = JSON.stringify(head.setup) !== JSON.stringify(known.site.setup)
  learn(head.shortLinks)
  if (isOther) known.judgeBy(siteOf(head))
  if (head.shortLinks.length > 0) known.judgeShortLinks()
  for (const part of parts) {
    for (const page of part.pages) {
      gone.delete(page.id)
      known.replace(page, [])
    }
    take(known, pages, part)
  }
  for (const id of gone) known.remove(id)
  const { paths } = known
  if (head.hasAllPaths) known.know({ paths: new Set(head.paths.map(({ path }) => path)), fine: known.fine })
  else known.knowPaths(head.paths)
  if (head.fine !== null) known.know({ paths: known.ownPaths, fine: new Map(head.fine) })
  for (const each of head.verdicts) verdicts.set(each.address, each)
  known.knowVerdicts(parts.length > 0 ? [...verdicts.values()] : head.verdicts)
  if (head.isLedElsewhere || known.hasNewWithout) await learnLed(known)
  known.ask({})
  const isElsewhere =
    generation !== known.rows.generation || isOther || head.shortLinks.length > 0 || head.verdicts.length > 0 || paths !== known.paths
  tellRows(known, isElsewhere ? 0 : from)
  tell({ type: 'loaded', count: known.total, ms: 0 })
  if (lastAsk !== null) answerList(lastAsk)
  return true
}

/** Asks which addresses without a page redirects lead on from: links to them land. */
async function learnLed(list: PlacementList): Promise<void> {
  const without = list.pathsWithout().filter((path) => path.length <= LED_PATH_MAX_CHARS)
  const led: string[] = []
  for (let from = 0; from < without.length; from += LED_MAX)
    led.push(...(await call('placements.led', { body: { paths: without.slice(from, from + LED_MAX) } })).led)
  if (list.knowLed(led)) tellRows(list, 0)
}

/** Hands the screen the rows from one on. */
function tellRows(list: PlacementList, first: number): void {
  const { rows } = list
  for (let from = first; from < rows.length; from += SLICE) {
    const part: ShownRow[] = []
    for (let i = from; i < Math.min(from + SLICE, rows.length); i++) {
      const judged = rows.judgedAt(i)
      if (judged === null) continue
      const row = rowOf(judged, list.seenAt(i))
      part.push({ ...row, state: inWords(row.state) })
    }
    tell({ type: 'rows', from, rows: part })
  }
}

function answerList(asked: Extract<ToEngine, { type: 'ask' }>): void {
  if (list === null) return
  const answer = list.ask(asked.query)
  const groups = asked.isGrouped ? list.group(asked.query).slice(0) : null
  tell({ type: 'answer', id: asked.id, groups, ...answer })
}

/** A rule that is still being typed gives way to the next letter. */
async function workOutImpact(id: number, draft: RulesDraft): Promise<void> {
  newestImpact = id
  await breathe()
  if (newestImpact !== id || list === null) return
  const startedAt = performance.now()
  const looked = list
  const compiled = looked.site.compile(draft)
  const impact = looked.impact(draft)
  const groups = impact.groups.map((group) => ({ ...group, examples: group.examples.flatMap((i) => looked.judgedAt(i) ?? []) }))
  const shown = shownImpact({ ...impact, groups }, (judged) => decide(compiled, judged.facts))
  tell({ type: 'impact', id, impact: shown, unheard: unheardRules(compileRules(draft.rules)), ms: performance.now() - startedAt })
}

function tellDetails(id: number, index: number): void {
  const judged = list?.judgedAt(index) ?? null
  if (judged === null || list === null) return
  tell({
    type: 'details',
    id,
    details: {
      before: judged.placement.tag,
      after: tagWith(judged, judged.decision),
      explained: explain(judged.decision).map(({ what, reason }) => ({ what: inWords(what), why: inWords(tellReason(reason)) })),
      tags: judged.facts.tags,
      address: judged.facts.address,
      findings: list.findingsAt(index),
      fine: list.fineAt(index),
    },
  })
}

addEventListener('message', ({ data }: MessageEvent<ToEngine>) => {
  switch (data.type) {
    case 'load':
    case 'refresh':
      return void load()
    case 'ask':
      lastAsk = data
      return answerList(data)
    case 'impact':
      return void workOutImpact(data.id, data.draft)
    case 'details':
      return tellDetails(data.id, data.index)
  }
})
