import { HTMLRewriter } from 'html-rewriter-wasm'
import { type DefaultTreeAdapterMap, parse, serialize } from 'parse5'
import type { Surroundings } from '../src/core/address/index.ts'
import { compileRules, ruleStream } from '../src/core/rules/index.ts'
import { room } from '../src/delivery/room.ts'
import { byTurns, type Row, rateOf } from './measure.ts'
import { benchPages } from './pages.ts'

const PAGES = 60
const ROUNDS = 7
const ROUND_MS = 700

export const around: Surroundings = {
  siteHosts: ['slow-ferry.example'],
  shortHosts: [{ host: 'sferry.example', prefix: 'go' }],
  partnerSites: new Set(['gannet-line.example']),
  page: 'https://slow-ferry.example/a/b',
}
const RULES: Parameters<typeof compileRules>[0] = [
  { id: '1', name: 'paid', isOn: true, isBinding: false, when: { is: 'partner' }, what: { hints: ['sponsored', 'nofollow'] } },
  { id: '2', name: 'outside', isOn: true, isBinding: false, when: { is: 'kind', of: ['outside'] }, what: { opens: 'new tab' } },
]
export const rules = compileRules(RULES)
const find = (): null => null
const KNOWN = { rules, around }
/** The same, with no tag and no address remembered: pages that repeat would else be answered from memory alone. */
const anew = (): typeof KNOWN => ({ rules: compileRules(RULES), around: { ...around, partnerSites: new Set(around.partnerSites) } })
const remembering = (rate: number): string => `${rate.toFixed(0)} MB/s where every tag was met before`
/** What the peers do instead of deciding: the cheapest test that marks the same links. */
const isOutside = (href: string): boolean => href.startsWith('https:')

function withTree(html: string): string {
  const document = parse(html)
  const visit = (node: DefaultTreeAdapterMap['node']): void => {
    if ('tagName' in node && node.tagName === 'a') {
      const href = node.attrs.find(({ name }) => name === 'href')
      if (href !== undefined && isOutside(href.value)) {
        node.attrs = [
          ...node.attrs.filter(({ name }) => name !== 'rel' && name !== 'target'),
          { name: 'rel', value: 'sponsored nofollow noopener' },
          { name: 'target', value: '_blank' },
        ]
      }
    }
    if ('childNodes' in node) for (const child of node.childNodes) visit(child)
  }
  visit(document)
  return serialize(document)
}

async function withStream(bytes: Uint8Array): Promise<number> {
  let length = 0
  const rewriter = new HTMLRewriter((chunk) => {
    length += chunk.length
  })
  rewriter.on('a[href]', {
    element(element) {
      if (!isOutside(element.getAttribute('href') ?? '')) return
      element.setAttribute('rel', 'sponsored nofollow noopener')
      element.setAttribute('target', '_blank')
    },
  })
  try {
    await rewriter.write(bytes)
    await rewriter.end()
    return length
  } finally {
    rewriter.free()
  }
}

/** Rewriting whole pages: text in, text out, against a tree that is built and written again. */
export async function rewriteTree(): Promise<Row> {
  const pages = benchPages(PAGES, 4471)
  const megabytes = pages.reduce((sum, page) => sum + page.length, 0) / 1e6
  const ours = (site: typeof KNOWN): number[] => pages.map((page) => rewriteText(page, site).length)
  const rates = await byTurns(
    ROUNDS,
    () => rateOf(megabytes, ROUND_MS, () => ours(anew())),
    () => rateOf(megabytes, ROUND_MS, () => pages.map((page) => withTree(page).length)),
  )
  const known = await rateOf(megabytes, ROUND_MS, () => ours(KNOWN))
  return { name: 'rewrite-tree', ...rates, unit: 'MB/s', goal: 10, note: remembering(known) }
}

/** Pieces as they come from a socket. */
const PIECE_BYTES = 16 * 1024

/** Text in, text out. */
function rewriteText(html: string, { rules, around }: typeof KNOWN): string {
  const stream = ruleStream(rules, around, find, 'utf-8', room)
  return Buffer.concat([...stream.push(new TextEncoder().encode(html)), ...stream.end()]).toString()
}

function withRules(bytes: Uint8Array, { rules, around }: typeof KNOWN): number {
  const stream = ruleStream(rules, around, find, 'utf-8', room)
  let length = 0
  for (let from = 0; from < bytes.length; from += PIECE_BYTES) {
    for (const piece of stream.push(bytes.subarray(from, from + PIECE_BYTES))) length += piece.length
  }
  for (const piece of stream.end()) length += piece.length
  return length
}

/** Rewriting bytes in pieces, deciding included, against a streaming rewriter. */
export async function rewriteStream(): Promise<Row> {
  const pages = benchPages(PAGES, 4471).map((page) => new TextEncoder().encode(page))
  const megabytes = pages.reduce((sum, page) => sum + page.length, 0) / 1e6
  const ours = (site: typeof KNOWN): number[] => pages.map((page) => withRules(page, site))
  const rates = await byTurns(
    ROUNDS,
    () => rateOf(megabytes, ROUND_MS, () => ours(anew())),
    () =>
      rateOf(megabytes, ROUND_MS, async () => {
        for (const page of pages) await withStream(page)
      }),
  )
  const known = await rateOf(megabytes, ROUND_MS, () => ours(KNOWN))
  return { name: 'rewrite-stream', ...rates, unit: 'MB/s', goal: 6, note: remembering(known) }
}
