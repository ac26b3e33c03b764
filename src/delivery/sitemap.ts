import type { ServerResponse } from 'node:http'
import { setImmediate as breathe } from 'node:timers/promises'
import { SITEMAP_PATH } from '../core/address/index.ts'
import { escapeAnywhere } from '../core/markup/index.ts'
import { encodedPath } from '../core/routing/index.ts'
import type { EdgeRequest } from '../edge/index.ts'
import { NOT_FOUND_PATH } from './missing.ts'
import type { HostEntry, StoreView } from './store/index.ts'

/** Addresses of one sitemap; the protocol allows no more. */
const NAMED_MAX = 50_000
/** Read at once: between two stretches others are answered. */
const STRETCH = 500

/** By what the store held, and by host: made once, however many ask. */
const madeOf = new WeakMap<object, Map<string, Promise<Buffer>>>()

/** Lets robots go everywhere, and tells them where the sitemap is. */
export function answerRobots({ address }: HostEntry, request: EdgeRequest, response: ServerResponse): void {
  const text = `User-agent: *\nDisallow:\n\nSitemap: ${address}${SITEMAP_PATH}\n`
  response.writeHead(200, {
    'Content-Type': 'text/plain; charset=utf-8',
    'Cache-Control': 'public, max-age=3600',
    'Content-Length': Buffer.byteLength(text),
  })
  response.end(request.method === 'HEAD' ? undefined : text)
}

/** Names the pages of a site to robots. */
export async function answerSitemap(view: StoreView, entry: HostEntry, request: EdgeRequest, response: ServerResponse): Promise<void> {
  const made = madeOf.get(view.state) ?? new Map<string, Promise<Buffer>>()
  madeOf.set(view.state, made)
  const bytes = await (made.get(entry.address) ?? remembered(made, entry.address, sitemapOf(view, entry)))
  response.writeHead(200, {
    'Content-Type': 'application/xml; charset=utf-8',
    'Cache-Control': 'public, max-age=3600',
    'Content-Length': bytes.length,
  })
  response.end(request.method === 'HEAD' ? undefined : bytes)
}

function remembered(made: Map<string, Promise<Buffer>>, address: string, making: Promise<Buffer>): Promise<Buffer> {
  made.set(address, making)
  // One that could not be read is tried anew.
  making.catch(() => made.delete(address))
  return making
}

/** Reads a stretch at a time, so that others are answered between. */
async function sitemapOf(view: StoreView, entry: HostEntry): Promise<Buffer> {
  const parts = ['<?xml version="1.0" encoding="UTF-8"?>\n<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">\n']
  let named = 0
  for (let after: string | null = null; named < NAMED_MAX; await breathe()) {
    const { paths, next } = view.listed(entry, after, Math.min(STRETCH, NAMED_MAX - named))
    for (const path of paths)
      if (path !== NOT_FOUND_PATH) parts.push(`<url><loc>${escapeAnywhere(entry.address + encodedPath(path))}</loc></url>\n`)
    named += paths.length
    if (next === null) break
    after = next
  }
  return Buffer.from(`${parts.join('')}</urlset>\n`)
}
