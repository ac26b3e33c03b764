import { XMLParser } from 'fast-xml-parser'
import { z } from 'zod'

/** One entry of a feed. */
export interface FeedEntry {
  readonly title: string
  /** Where it stands on the web; null where the feed does not say. */
  readonly link: string | null
  /** Its text as HTML; "" where the feed holds only a title. */
  readonly html: string
}

const parser = new XMLParser({
  ignoreAttributes: false,
  attributeNamePrefix: '@',
  parseTagValue: false,
  processEntities: { maxTotalExpansions: 10_000 },
  htmlEntities: true,
})

const text = z.union([z.string(), z.object({ '#text': z.string().optional() }).transform((node) => node['#text'] ?? '')]).catch('')
const many = <T extends z.ZodType>(of: T) =>
  z.preprocess((value) => (value === undefined ? [] : Array.isArray(value) ? value : [value]), z.array(of))
const AtomLink = z.object({ '@href': z.string().optional(), '@rel': z.string().optional() })
const Atom = z.object({
  feed: z.object({
    entry: many(z.object({ title: text.optional(), link: many(AtomLink), content: text.optional(), summary: text.optional() })),
  }),
})
const Item = z.object({
  title: text.optional(),
  link: text.optional(),
  guid: text.optional(),
  description: text.optional(),
  'content:encoded': text.optional(),
})
const Rss = z.object({ rss: z.object({ channel: z.object({ item: many(Item) }) }) })
const Rdf = z.object({ 'rdf:RDF': z.object({ item: many(Item) }) })

const isAddress = (value: string | undefined): value is string => value !== undefined && /^https?:\/\//.test(value.trim())

/** Reads a feed: Atom (RFC 4287), RSS 2.0 or RSS 1.0. @returns null when it is none of them. Never throws */
export function readFeed(xml: string): readonly FeedEntry[] | null {
  let read: unknown
  try {
    read = parser.parse(xml)
  } catch {
    return null
  }
  const atom = Atom.safeParse(read)
  if (atom.success)
    return atom.data.feed.entry.map(({ title, link, content, summary }) => {
      const to = link.find((each) => each['@rel'] === undefined || each['@rel'] === 'alternate')?.['@href']
      return { title: title?.trim() ?? '', link: isAddress(to) ? to.trim() : null, html: content || summary || '' }
    })
  const rss = Rss.safeParse(read)
  const rdf = rss.success ? null : Rdf.safeParse(read)
  const items = rss.success ? rss.data.rss.channel.item : rdf?.success === true ? rdf.data['rdf:RDF'].item : null
  return (
    items?.map(({ title, link, guid, description, 'content:encoded': content }) => ({
      title: title?.trim() ?? '',
      link: isAddress(link) ? link.trim() : isAddress(guid) ? guid.trim() : null,
      html: content || description || '',
    })) ?? null
  )
}

const Sitemap = z.object({
  urlset: z.object({ url: many(z.object({ loc: text })) }).optional(),
  sitemapindex: z.object({ sitemap: many(z.object({ loc: text })) }).optional(),
})

/** What a sitemap names (sitemaps.org protocol 0.9): pages, or further sitemaps. Null when it is none. Never throws. */
export function readSitemap(xml: string): { readonly pages: readonly string[]; readonly sitemaps: readonly string[] } | null {
  try {
    const read = Sitemap.safeParse(parser.parse(xml))
    if (!read.success || (read.data.urlset === undefined && read.data.sitemapindex === undefined)) return null
    const locations = (list: readonly { loc: string }[] | undefined): string[] =>
      (list ?? []).map(({ loc }) => loc.trim()).filter(isAddress)
    return { pages: locations(read.data.urlset?.url), sitemaps: locations(read.data.sitemapindex?.sitemap) }
  } catch {
    return null
  }
}
