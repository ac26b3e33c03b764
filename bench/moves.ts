import { numbersFrom } from '../tests/unit/writing/numbers.ts'

/** How an address came to be that nobody answers any more. */
export const MOVE_KINDS = [
  'renamed folder',
  'flattened',
  'put into folders',
  'other ending',
  'date dropped',
  'language in front',
  'slug from the new title',
  'typing error',
  'merged',
  'nowhere',
] as const
export type MoveKind = (typeof MOVE_KINDS)[number]

export interface MovedPage {
  readonly path: string
  readonly title: string
  /** What its text is about. */
  readonly words: readonly string[]
}

/** An address that is asked for, and the page that was meant; null where there is none. */
export interface Move {
  readonly kind: MoveKind
  readonly path: string
  readonly to: string | null
  /** Of the page that stood there. */
  readonly title: string
  readonly words: readonly string[]
}

type Numbers = ReturnType<typeof numbersFrom>

const STEMS =
  `ferry tide island harbour cliff lantern anchor rope map walk room quay boat weather ticket timetable winter summer market garden bakery museum
   light bridge shore castle forest river coast mountain village kitchen window table engine battery camera printer network server install
   configure update manage connect support account payment invoice report guide record search filter export import backup restore secure
   monitor control function module object string vector matrix number value index query cursor buffer stream signal thread process memory cache
   driver device signal message header footer picture gallery video music letter paper fabric leather cotton wool jacket smock boot glove basket
   candle teapot kettle pan knife chair lamp carpet curtain mirror clock bicycle tent stove compass paddle sail mast deck hull keel rudder harvest
   recipe bread cheese soup fish apple honey coffee tea juice salad dinner breakfast festival concert theatre story history legend people family
   school student teacher course lesson exam science nature animal bird seal puffin whale flower herb tree stone granite sand storm rain wind cloud`
    .split(/\s+/)
    .filter(Boolean)
const ENDINGS = ['', '', '', '', 's', 's', 'ing', 'ed', 'er', 'ation', 'less', 'ship', 'ly']
const SYLLABLES = 'ka lo ri mu ten bar sko vel da qui nor pel tis gan re fo mi zu hal der wyn cro bex ost um ja'.split(' ')
const SMALL = ['the', 'of', 'and', 'for', 'in', 'to', 'with', 'a', 'on', 'your']
const LANGUAGES = ['en', 'de', 'fr', 'es', 'nl']
const GENERIC = ['index', 'overview', 'introduction', 'reference', 'examples', 'faq', 'settings', 'usage']
const TYPES = ['s8', 's16', 's32', 's64', 'u8', 'u16', 'u32', 'u64', 'f32', 'f64']
const EXTENSIONS = ['.html', '.php', '.htm', '', '.aspx', '/']

const PART_KINDS = [
  'article',
  'article',
  'manual',
  'manual',
  'manual',
  'reference',
  'reference',
  'shop',
  'shop',
  'spoken',
  'numbered',
] as const
/** A folder of pages of one kind. */
interface Part {
  readonly kind: (typeof PART_KINDS)[number]
  readonly folders: readonly string[]
}

/** A made-up site, as sites are that grew for years: articles by date, manuals, a reference of names that are nearly alike, a shop, languages. */
export class MovingSite {
  readonly pages: readonly MovedPage[]
  /** Pages like these that are on the site no more, nor anything in their place. */
  readonly gone: readonly MovedPage[]
  readonly #pick: Numbers
  readonly #vocabulary: readonly string[]
  readonly #names = new Map<string, number>()
  readonly #paths: ReadonlySet<string>

  constructor(seed: number, size: number) {
    this.#pick = numbersFrom(seed)
    this.#vocabulary = this.#words(2_600)
    const made = new Map<string, MovedPage>()
    const parts = this.#parts()
    const wanted = Math.round(size * 1.15)
    while (made.size < wanted) {
      const page = { ...this.#of(parts), words: this.#phrase(12, 25) }
      if (!made.has(page.path.toLowerCase())) made.set(page.path.toLowerCase(), page)
    }
    const all = [...made.values()]
    for (let i = all.length - 1; i > 0; i--) {
      const j = this.#pick(i + 1)
      ;[all[i], all[j]] = [all[j] as MovedPage, all[i] as MovedPage]
    }
    this.pages = all.slice(0, size)
    this.gone = all.slice(size)
    this.#paths = new Set(all.map(({ path }) => bare(path)))
    for (const { path } of all) this.#names.set(nameOf(path), (this.#names.get(nameOf(path)) ?? 0) + 1)
  }

  /** Addresses of one kind, each of another page, where a site has so many that could move so. */
  moves(kind: MoveKind, count: number): Move[] {
    const from = kind === 'nowhere' ? this.gone : this.pages
    const found = new Map<string, Move>()
    for (let tries = 0; found.size < count && tries < count * 30; tries++) {
      const page = this.#some(from)
      const path = this.#before(page, kind)
      // An address that is there, or could be that of two pages, is no lost one.
      if (path === null || this.#paths.has(bare(path)) || found.has(bare(path))) continue
      found.set(bare(path), {
        kind,
        path,
        to: kind === 'nowhere' ? null : page.path,
        title: this.#chance(60) ? page.title : this.#edited(page.title.split(' ')).join(' '),
        words: page.words.flatMap((word) => (this.#chance(15) ? [this.#word()] : this.#chance(10) ? [] : [word])),
      })
    }
    return [...found.values()]
  }

  #some<T>(of: readonly T[]): T {
    return of[this.#pick(of.length)] as T
  }
  #chance(percent: number): boolean {
    return this.#pick(100) < percent
  }

  #words(count: number): string[] {
    const words = new Set<string>()
    while (words.size < count) {
      const made = this.#chance(35)
      const stem = made ? Array.from({ length: 2 + this.#pick(2) }, () => this.#some(SYLLABLES)).join('') : this.#some(STEMS)
      words.add(stem + this.#some(ENDINGS))
    }
    return [...words]
  }
  /** Some words come up all the time, most hardly ever (Zipf). */
  #word(): string {
    const at = Math.floor(this.#vocabulary.length ** (this.#pick(10_000) / 10_000)) - 1
    return this.#vocabulary[Math.max(0, at)] ?? 'map'
  }
  #phrase(least: number, most: number): string[] {
    return Array.from({ length: least + this.#pick(most - least + 1) }, () => this.#word())
  }

  #parts(): Part[] {
    return Array.from({ length: 60 }, () => {
      const kind = this.#some(PART_KINDS)
      const depth = kind === 'article' ? 1 : 1 + this.#pick(3)
      return { kind, folders: Array.from({ length: depth }, () => this.#phrase(1, this.#chance(25) ? 2 : 1).join('-')) }
    })
  }

  #of(parts: readonly Part[]): Omit<MovedPage, 'words'> {
    const { kind, folders } = this.#some(parts)
    const at = (name: string, ...more: string[]): string => `/${[...folders, ...more, name].join('/')}`
    const title = (words: readonly string[]): string => words.map((word) => word[0]?.toUpperCase() + word.slice(1)).join(' ')
    const withSmall = (words: readonly string[]): string[] =>
      words.flatMap((word) => (this.#chance(25) ? [this.#some(SMALL), word] : [word]))
    switch (kind) {
      case 'article': {
        const words = withSmall(this.#phrase(3, 7))
        const day = [2009 + this.#pick(17), 1 + this.#pick(12)].map((n) => String(n).padStart(2, '0'))
        const slug = (this.#chance(50) ? words.filter((word) => !SMALL.includes(word)) : words).join('-')
        return { path: `${at(slug, ...(this.#chance(60) ? day : []))}.html`, title: title(words) }
      }
      case 'manual': {
        if (this.#chance(8)) {
          const topic = this.#phrase(1, 2)
          return { path: at(`${this.#some(GENERIC)}.html`, topic.join('-')), title: `${title(topic)}: overview` }
        }
        const words = this.#phrase(1, 4)
        return { path: `${at(words.join('-'), ...(this.#chance(30) ? this.#phrase(1, 1) : []))}.html`, title: title(withSmall(words)) }
      }
      case 'reference': {
        const stem = this.#phrase(1, 2).map((word) => word.slice(0, 5))
        const name = `${stem.join('_')}${this.#chance(60) ? `_${this.#some(TYPES)}` : ''}`
        return {
          path: `${at(this.#chance(30) ? `fn.${name}` : name)}.html`,
          title: this.#chance(50) ? name : `${name} (${title(folders.slice(-1))})`,
        }
      }
      case 'shop': {
        const words = this.#phrase(2, 4)
        const number = this.#chance(60) ? String(this.#pick(9_000) + 100) : ''
        return { path: `${at([...words, number].filter(Boolean).join('-'))}.html`, title: `${title(words)} ${number}`.trim() }
      }
      case 'spoken': {
        const words = this.#phrase(2, 4)
        return { path: `/${this.#some(LANGUAGES)}${at(words.join('-'))}.html`, title: title(words) }
      }
      case 'numbered': {
        const number = String(1 + this.#pick(400)).padStart(this.#pick(4), '0')
        const words = this.#phrase(0, 1)
        return {
          path: `${at([this.#some(['chapter', 'issue', 'release', 'lesson']), number, ...words].join('-'))}.html`,
          title: `${title(folders.slice(-1))} ${number}`,
        }
      }
    }
  }

  /** Where a page stood before it moved so; null for one that cannot have. */
  #before({ path, title }: Pick<MovedPage, 'path' | 'title'>, kind: MoveKind): string | null {
    const segments = path
      .slice(1)
      .replace(/\.html$/, '')
      .split('/')
    const folders = segments.slice(0, -1)
    const name = segments[segments.length - 1] ?? ''
    const isGeneric = GENERIC.includes(name)
    /** What has no name of its own moves with its folder. */
    const own = isGeneric ? segments.slice(-2) : [name]
    const ending = this.#chance(75) ? '.html' : this.#some(EXTENSIONS)
    const written = (parts: readonly string[], as = ending): string => `/${parts.join('/')}${as}`
    switch (kind) {
      case 'renamed folder': {
        const others = isGeneric ? folders.slice(0, -1) : folders
        if (others.length === 0) return null
        const which = this.#pick(others.length)
        return written([...others.with(which, this.#phrase(1, 2).join('-')), ...own])
      }
      case 'flattened': {
        // It stood in more folders.
        const put = this.#pick(folders.length + 1)
        if (isGeneric && put === folders.length) return null
        return written([...folders.slice(0, put), ...this.#phrase(1, 2), ...folders.slice(put), name])
      }
      case 'put into folders': {
        // It stood in fewer, or in none; what several pages would have been called then has kept its folder.
        if (folders.length === 0 || ((this.#names.get(name) ?? 0) > 1 && folders.length < 2)) return null
        const isOne = (this.#names.get(name) ?? 0) <= 1 && !isGeneric
        const kept = isOne ? this.#pick(folders.length) : folders.length - 1
        return this.#chance(30)
          ? written([[...folders.slice(folders.length - Math.max(1, kept)), name].join('-')])
          : written([...folders.slice(folders.length - kept), name])
      }
      case 'other ending':
        return written(
          this.#chance(20) ? segments.map((each) => each.replaceAll('-', '_')) : segments,
          this.#some(['.php', '.htm', '.aspx', '.jsp', '/index.html']),
        )
      case 'date dropped': {
        const day = [2009 + this.#pick(17), 1 + this.#pick(12), 1 + this.#pick(28)]
          .map((n) => String(n).padStart(2, '0'))
          .slice(0, 2 + this.#pick(2))
        const bareFolders = folders.filter((each) => !/^\d+$/.test(each))
        return written([...bareFolders, ...(this.#chance(70) ? [...day, name] : [[...day, name].join('-')])])
      }
      case 'language in front': {
        const isIn = LANGUAGES.includes(folders[0] ?? '')
        return written(isIn && this.#chance(60) ? segments.slice(1) : [this.#some(LANGUAGES), ...(isIn ? segments.slice(1) : segments)])
      }
      case 'slug from the new title': {
        // The title was edited, and the slug goes with it: what stood there was made of the title of before.
        if (isGeneric || /\d/.test(name)) return null
        const words = slug(title).split('-').filter(Boolean)
        if (words.length < 4) return null
        const before = this.#edited(words)
        return before.length < 2 ? null : written([...folders, before.join('-')])
      }
      case 'typing error':
        return written([...folders, this.#mistyped(name)])
      case 'merged': {
        // Several short ones became one.
        if (isGeneric) return null
        const more = this.#chance(50)
          ? this.#some(['part-1', 'part-2', 'page-2', 'print', 'continued', 'comments', 'old'])
          : this.#phrase(1, 2).join('-')
        return this.#chance(50) ? written([...segments, more]) : written([...folders, `${name}-${more}`])
      }
      case 'nowhere':
        return this.#chance(40)
          ? written(segments)
          : this.#before({ path, title }, this.#some(MOVE_KINDS.filter((each) => each !== 'nowhere' && each !== 'merged')))
    }
  }

  /** Words of a title with one or two put in, left out or changed. */
  #edited(words: readonly string[]): string[] {
    const edited = [...words]
    const changes = 1 + this.#pick(words.length > 6 ? 2 : 1)
    for (let n = 0; n < changes; n++) {
      const i = this.#pick(edited.length)
      const how = this.#pick(4)
      if (how === 0) edited.splice(i, 1)
      else if (how === 1) edited.splice(i, 0, this.#chance(40) ? this.#some(SMALL) : this.#word())
      else if (how === 2) edited[i] = this.#word()
      else edited[i] = `${(edited[i] ?? '').replace(/(?:s|ing|ed|er)$/, '')}${this.#some(['s', 'ing', 'ed', 'er'])}`
    }
    return edited
  }

  #mistyped(name: string): string {
    const letters = [...name]
    for (let n = 0; n <= (name.length > 12 ? this.#pick(2) : 0); n++) {
      const i = this.#pick(letters.length)
      // Another number is another page.
      if (/\d/.test(letters[i] ?? '') || /\d/.test(letters[i + 1] ?? '')) continue
      const how = this.#pick(4)
      if (how === 0) letters.splice(i, 1)
      else if (how === 1) letters.splice(i, 0, letters[i] ?? 'e')
      else if (how === 2) letters.splice(i, 2, ...[letters[i + 1] ?? '', letters[i] ?? ''])
      else letters[i] = 'abcdefghijklmnopqrstuvwxyz'[this.#pick(26)] ?? 'e'
    }
    return letters.join('')
  }
}

const slug = (title: string): string =>
  title
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
/** A path without its ending and its slash, in small letters. */
const bare = (path: string): string =>
  path
    .toLowerCase()
    .replace(/\.\w+$/, '')
    .replace(/\/(?:index)?$/, '')
const nameOf = (path: string): string => bare(path).split('/').at(-1) ?? ''
