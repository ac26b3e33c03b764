import { HTMLRewriter } from 'html-rewriter-wasm'
import { type DefaultTreeAdapterMap, parse, serialize } from 'parse5'
import type { Surroundings } from '../src/core/address/index.ts'
import { deliverBytes } from '../src/core/content/index.ts'
import { type CompiledSite, compileRules, compileSite, deliverPage } from '../src/core/rules/index.ts'
import { byTurns, type Row, rateOf } from './measure.ts'
import { benchPages } from './pages.ts'

const PAGES = 60
const ROUNDS = 7
const ROUND_MS = 700

const around: Surroundings = {
  siteHosts: ['slow-ferry.example'],
  shortHosts: [{ host: 'sferry.example', prefix: 'go' }],
  partnerSites: new Set(['gannet-line.example']),
  page: 'https://slow-ferry.example/a/b',
}
const rules = compileRules([
  { id: '1', name: 'paid', isOn: true, isBinding: false, when: { is: 'partner' }, what: { hints: ['sponsored', 'nofollow'] } },
  { id: '2', name: 'outside', isOn: true, isBinding: false, when: { is: 'kind', of: ['outside'] }, what: { opens: 'new tab' } },
])
const find = (): null => null
const site: CompiledSite = {
  ...compileSite({ siteId: '', name: '', hosts: [], partners: [], rules: [], shortLinks: [] }, 443),
  rules,
  around: () => around,
}

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
  const rates = await byTurns(
    ROUNDS,
    () => rateOf(megabytes, ROUND_MS, () => pages.map((page) => deliverPage(page, rules, around, find).html.length)),
    () => rateOf(megabytes, ROUND_MS, () => pages.map((page) => withTree(page).length)),
  )
  return { name: 'rewrite-tree', ...rates, unit: 'MB/s', goal: 10 }
}

/** Rewriting bytes, decoding and encoding included, against a streaming rewriter. */
export async function rewriteStream(): Promise<Row> {
  const pages = benchPages(PAGES, 4471).map((page) => new TextEncoder().encode(page))
  const megabytes = pages.reduce((sum, page) => sum + page.length, 0) / 1e6
  const rates = await byTurns(
    ROUNDS,
    () => rateOf(megabytes, ROUND_MS, () => pages.map((page) => deliverBytes(page, 'utf-8', site, { path: '/' }).ok)),
    () =>
      rateOf(megabytes, ROUND_MS, async () => {
        for (const page of pages) await withStream(page)
      }),
  )
  return { name: 'rewrite-stream', ...rates, unit: 'MB/s', goal: 6 }
}
