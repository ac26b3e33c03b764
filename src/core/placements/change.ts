import { isTold, type Said, type Told, tell } from '../../words/index.ts'
import { normalise, parseUrl, repair, type Surroundings } from '../address/index.ts'
import {
  type AttributeChanges,
  applyPatches,
  escapeText,
  type LinkTag,
  linkText,
  type Patch,
  type PatchSet,
  scanLinks,
  scanPictures,
  tagPatches,
  unwrapLink,
} from '../markup/index.ts'
import { type Menu, type MenuEntry, menuLinks } from '../menus/index.ts'
import {
  BY_HAND,
  type CompiledSite,
  changesFor,
  decide,
  factsOf,
  type HandAnswers,
  type Hint,
  handAnswersOf,
  handChanges,
  opensNewTab,
  readTags,
  relTokens,
  TAGS,
  type WrittenLink,
  withToken,
  writtenLink,
} from '../rules/index.ts'
import { type PlacementPage, partOfPage } from './set.ts'

/** One change, made to many links at once. */
export type BulkChange =
  | { readonly do: 'lead to'; readonly address: string }
  /** In the address as written. */
  | { readonly do: 'replace'; readonly find: string; readonly put: string }
  /** null leaves it to the rules. */
  | { readonly do: 'open'; readonly opens: 'new tab' | 'same tab' | null }
  | { readonly do: 'tell'; readonly hints: readonly Hint[] | null }
  | { readonly do: 'unlink' }
  | { readonly do: 'tag'; readonly add: readonly string[]; readonly remove: readonly string[] }
  | { readonly do: 'noopener' }
  /** The destination's title becomes the link's words, or its picture's alternative text. */
  | { readonly do: 'take title' }
  | { readonly do: 'https' }
  | { readonly do: 'own path' }
  /** What the rules decide is written into the page. */
  | { readonly do: 'bake' }

/** What became of one link. `before` and `after` are its start tag, with its words where those change. */
export interface ChangedLink {
  readonly ordinal: number
  readonly text: string
  readonly before: Said
  readonly after: Said
}

export interface ChangedPage {
  readonly patches: PatchSet
  readonly changed: readonly ChangedLink[]
  /** Why links were left as they are, in plain words. */
  readonly skipped: readonly Told[]
}

/** What a change needs to know besides the page. */
export interface ChangeHelp {
  readonly site: CompiledSite
  /** Title of a destination (normalised address); null where it is not known. */
  readonly titleOf: (destination: string) => string | null
}

type Outcome = { readonly patches: PatchSet; readonly text?: string } | { readonly skip: Told }

/**
 * Works a change out on one page. Bytes outside the links that change stay.
 * @param wanted - numbers of the links, with where each starts: one that stands elsewhere by now is left alone
 */
export function changeLinks(
  text: string,
  page: PlacementPage,
  wanted: ReadonlyMap<number, number>,
  change: BulkChange,
  help: ChangeHelp,
): ChangedPage {
  const found = scanLinks(text)
  const around = help.site.around(page.path, {
    writtenFor: page.writtenFor,
    waiting: page.waiting,
    tags: page.tags,
    part: partOfPage(page),
  })
  const patches: Patch[] = []
  const changed: ChangedLink[] = []
  const skipped: Told[] = []
  for (const [ordinal, start] of [...wanted].sort((a, b) => a[0] - b[0])) {
    const link = found.links[ordinal]
    if (link === undefined || link.start !== start) {
      skipped.push(tell('change.stands-elsewhere'))
      continue
    }
    const written = writtenLink(text, link, found)
    const facts = factsOf(written, around, help.site.findShortLink)
    const outcome = work({ text, link, written, facts, around, help }, change)
    if ('skip' in outcome) {
      skipped.push(outcome.skip)
      continue
    }
    if (outcome.patches.length === 0) {
      skipped.push(tell('change.so-already'))
      continue
    }
    patches.push(...outcome.patches)
    const words = linkText(text, link)
    const shift = outcome.patches
      .filter(({ from, to }) => from >= link.start && to <= link.end)
      .map(({ from, to, insert }) => ({ from: from - link.start, to: to - link.start, insert }))
    const tag = text.slice(link.start, link.end)
    const isGone = change.do === 'unlink'
    const changedTag = applyPatches(tag, shift)
    changed.push({
      ordinal,
      text: words,
      before: outcome.text === undefined ? tag : tag + words,
      after: isGone ? tell('change.no-link') : changedTag + (outcome.text ?? ''),
    })
  }
  return { patches: patches.sort((a, b) => a.from - b.from || a.to - b.to), changed, skipped }
}

interface Place {
  readonly text: string
  readonly link: LinkTag
  readonly written: WrittenLink
  readonly facts: ReturnType<typeof factsOf>
  readonly around: Surroundings
  readonly help: ChangeHelp
}

function work({ text, link, written, facts, around, help }: Place, change: BulkChange): Outcome {
  const set = (changes: AttributeChanges): Outcome => ({ patches: tagPatches(text, link, changes) })
  const byHand = (answers: HandAnswers): Outcome => set(handChanges(written, { ...handAnswersOf(written), ...answers }))
  const lead = (address: string): Outcome => {
    const read = repair(address, around)
    if (!read.ok) return { skip: tell('change.no-address', { address: address.slice(0, 80) }) }
    if (read.value.address === written.href) return { skip: tell('change.so-already') }
    return set({ href: read.value.address, ...(written.byHand === null ? { [BY_HAND]: '' } : {}) })
  }
  switch (change.do) {
    case 'lead to':
      return lead(change.address)
    case 'replace':
      return written.href.includes(change.find)
        ? lead(written.href.replaceAll(change.find, change.put))
        : { skip: tell('change.does-not-hold', { words: change.find }) }
    case 'open':
      return byHand({ opens: change.opens ?? undefined })
    case 'tell':
      return byHand({ hints: change.hints ?? undefined })
    case 'unlink': {
      const patches = unwrapLink(text, link.start)
      return patches.ok ? { patches: patches.value } : { skip: tell('change.cannot-take-off') }
    }
    case 'tag': {
      const gone = new Set(change.remove.map((tag) => tag.toLowerCase()))
      const kept = readTags(written.tags).filter((tag) => !gone.has(tag.toLowerCase()))
      const tags = readTags([...kept, ...change.add].join(','))
      return set({ [TAGS]: tags.length === 0 ? null : tags.join(', ') })
    }
    case 'noopener':
      return opensNewTab(written.target ?? written.baseTarget)
        ? set({ rel: withToken(relTokens(written.rel), 'noopener').join(' ') })
        : { skip: tell('change.no-new-tab') }
    case 'https':
      return /^http:/i.test(written.href) ? set({ href: written.href.replace(/^http:/i, 'https:') }) : { skip: tell('change.no-http') }
    case 'own path': {
      const url = facts.address === null ? null : parseUrl(facts.address)
      const isOwn = facts.kind === 'inside page' || facts.kind === 'section' || facts.kind === 'file'
      return url !== null && isOwn ? set({ href: url.pathname + url.search + url.hash }) : { skip: tell('change.not-this-site') }
    }
    case 'take title':
      return takeTitle(text, link, facts, help)
    case 'bake': {
      const decision = decide(help.site.rules, facts)
      return set(
        changesFor(decision, facts, { html: text, attributes: link.attributes, rel: link.rel, words: () => linkText(text, link) }, true),
      )
    }
  }
}

function takeTitle(text: string, link: LinkTag, facts: ReturnType<typeof factsOf>, { titleOf }: ChangeHelp): Outcome {
  const title = facts.address === null ? null : titleOf(normalise(facts.address) ?? facts.address)
  if (title === null || title.trim() === '') return { skip: tell('change.no-title') }
  if (facts.shows === 'picture') {
    const picture = scanPictures(text).find(({ start, end }) => start >= link.end && end <= link.contentEnd)
    return picture === undefined
      ? { skip: tell('change.no-words-for-picture') }
      : { patches: tagPatches(text, picture, { alt: title }), text: ` ${title}` }
  }
  const content = text.slice(link.end, link.contentEnd)
  if (content.includes('<')) return { skip: tell('change.formatted') }
  return { patches: [{ from: link.end, to: link.contentEnd, insert: escapeText(title) }], text: ` ${title}` }
}

/**
 * The same on a menu, whose links are entries. Menus hold no tags and no words of their own to take over, and what rules
 * decide is not written into them.
 * @param wanted - numbers among the entries that lead somewhere
 * @returns the menu as it becomes, the same one where nothing changes
 */
export function changeEntries(
  menu: Menu,
  wanted: ReadonlySet<number>,
  change: BulkChange,
  help: ChangeHelp,
): { readonly menu: Menu } & Omit<ChangedPage, 'patches'> {
  const changed: ChangedLink[] = []
  const skipped: Told[] = []
  const around = help.site.around('/')
  const wantedIds = new Map<string, number>()
  menuLinks(menu.entries).forEach((entry, i) => {
    if (wanted.has(i)) wantedIds.set(entry.id, i)
  })
  const next = (entry: MenuEntry): MenuEntry | Told => {
    const lead = (address: string): MenuEntry | Told => {
      const read = repair(address, around)
      return read.ok ? { ...entry, href: read.value.address } : tell('change.no-address', { address: address.slice(0, 80) })
    }
    if (change.do === 'lead to') return lead(change.address)
    if (change.do === 'replace')
      return entry.href.includes(change.find)
        ? lead(entry.href.replaceAll(change.find, change.put))
        : tell('change.does-not-hold', { words: change.find })
    if (change.do === 'https') return { ...entry, href: entry.href.replace(/^http:/i, 'https:') }
    if (change.do === 'own path') return lead(entry.href)
    if (change.do === 'open') return { ...entry, opens: change.opens ?? undefined }
    if (change.do === 'tell') return { ...entry, hints: change.hints ?? undefined }
    if (change.do === 'unlink') return entry.kind === 'title' ? { ...entry, href: '' } : tell('change.menu-itself')
    return tell('change.menu-holds-none')
  }
  const shown = ({ href, opens, hints }: MenuEntry): Told =>
    href === '' ? tell('change.no-link') : tell('change.entry', { href, opens: opens ?? null, hints: hints ?? null })
  const isSame = (a: MenuEntry, b: MenuEntry): boolean =>
    a.href === b.href && a.opens === b.opens && a.hints?.join(' ') === b.hints?.join(' ')
  const walk = (entries: readonly MenuEntry[]): readonly MenuEntry[] =>
    entries.map((entry) => {
      const children = walk(entry.children)
      const kept = children.every((child, i) => child === entry.children[i]) ? entry : { ...entry, children }
      const ordinal = wantedIds.get(entry.id)
      if (ordinal === undefined) return kept
      const made = next(kept)
      if (isTold(made)) skipped.push(made)
      else if (isSame(made, entry)) skipped.push(tell('change.so-already'))
      else {
        changed.push({ ordinal, text: entry.label, before: shown(entry), after: shown(made) })
        return made
      }
      return kept
    })
  const entries = walk(menu.entries)
  return { menu: changed.length === 0 ? menu : { ...menu, entries }, changed, skipped }
}
