import { isTold, type Told, tell } from '../../../words/index.ts'
import { ok } from '../../result.ts'
import { isOwnGuard } from './httpd-out.ts'
import { alias, contextOf, EVERYTHING, rewriteRule, takenByAlias, takenByRule } from './httpd-rules.ts'
import { OPEN_SECTIONS, type Rewriting, rewritingIn, type Section, scopeOf, sectionsOf, virtualHosts } from './httpd-sections.ts'
import { type Directive, directivesOf } from './httpd-text.ts'
import { type Answering, keptInOrder } from './order.ts'
import {
  type Asked,
  draftOf,
  LINE_SHOWN_CHARS,
  type ReadingSite,
  type ReadRedirects,
  type RedirectDraft,
  type RefusedLine,
  type Sayable,
  unsaid,
} from './row.ts'

/** Directives that say what visitors get in ways that are no redirects. */
const OTHERWISE =
  /^(?:ErrorDocument|Proxy(?:Pass(?:Match|Reverse)?|HTMLURLMap)|(?:Script)?Alias(?:Match)?|FallbackResource|DirectoryIndex|Action)$/i
/** Of those the ones that take addresses away from what stands behind them. */
const TAKING = /^(?:Proxy(?:Pass(?:Match)?)|(?:Script)?Alias(?:Match)?)$/i
/** Directives that are about where somebody is sent; others of a configuration are none of ours. */
const OURS = /^(?:Redirect(?:Permanent|Temp|Match)?|Rewrite(?:Rule|Cond|Map)|Rewrite(?:Base))$/i

/** mod_rewrite has its say before mod_alias, each in the order of its lines; a virtual host's own lines come before those of the whole. */
const TURN = { rewrite: 0, alias: 1e9, ofWhole: 1e8 } as const

/**
 * Reads the redirect lines of Apache httpd 2.4: Redirect, RedirectPermanent, RedirectTemp, RedirectMatch (mod_alias), and
 * RewriteRule with R or G and its RewriteConds (mod_rewrite). What cannot be said here is refused by its line, never guessed; what takes
 * addresses there without being a redirect is told with the lines that answer in its place here.
 * @param text - a configuration, an .htaccess file, or lines out of one
 */
export function readHttpd(text: string, site: ReadingSite): ReadRedirects {
  return new Reader(directivesOf(text, site), site).read()
}

interface Place {
  readonly hosts: readonly string[]
  /** Why nobody can tell that what stands there holds. */
  readonly doubt: Told | null
  /** It is of the whole configuration, which has virtual hosts. */
  readonly isOfWhole: boolean
  /** The section that holds it to a part of the server. */
  readonly closed: Section | null
}

class Reader {
  readonly #site: ReadingSite
  readonly #directives: readonly Directive[]
  readonly #sections: ReadonlyMap<Directive, readonly Section[]>
  readonly #context: 'server' | 'folder' | null
  readonly #rewriting: ReadonlyMap<number, Rewriting>
  readonly #virtual: ReadonlyMap<number, readonly string[]>
  readonly #lines: Answering[] = []
  readonly #refused: RefusedLine[] = []
  readonly #asks = new Map<string, Asked>()

  constructor(directives: readonly Directive[], site: ReadingSite) {
    this.#site = site
    this.#directives = directives
    this.#sections = sectionsOf(directives)
    this.#context = contextOf(directives)
    this.#rewriting = rewritingIn(directives, this.#sections, (section) =>
      this.#absenceOf(section) === null ? this.#doubtOf(section) : 'absent',
    )
    this.#virtual = virtualHosts(directives, this.#sections, site.hosts)
  }

  read(): ReadRedirects {
    let conditions: Directive[] = []
    const lastRule = this.#directives.findLast(({ name }) => /^RewriteRule$/i.test(name))
    /** A rule that has those behind it asked or not, and how many of them. */
    let leader: { readonly line: number; left: number } | null = null
    for (const each of this.#directives) {
      if (each.name.startsWith('<')) continue
      if (OTHERWISE.test(each.name)) this.#otherwise(each)
      if (/^Include(?:Optional)?$/i.test(each.name)) this.#ask({ what: 'file', name: each.args[0] ?? '', line: each.line })
      if (!OURS.test(each.name)) continue
      if (/^RewriteCond$/i.test(each.name)) {
        conditions.push(each)
        continue
      }
      const isRule = /^RewriteRule$/i.test(each.name)
      // What keeps requests from rows of ours that they are none for says nothing by itself.
      if (!isRule) this.#line(each, [], false, null)
      else if (!isGuard(each, conditions)) {
        const led = leader === null ? null : tell('config.passed-over', { line: leader.line })
        this.#line(each, conditions, each === lastRule, led)
        if (leader !== null && --leader.left === 0) leader = null
        const left = ledBy(each)
        if (left > 0) leader = { line: each.line, left }
      }
      if (isRule) conditions = []
    }
    for (const condition of conditions) this.#refuse(condition, tell('config.no-rule-follows'))
    const kept = keptInOrder(this.#lines, this.#site)
    const refused = [...this.#refused, ...kept.refused].sort((a, b) => a.line - b.line)
    return { rows: kept.rows, refused, asks: [...this.#asks.values()] }
  }

  #line(each: Directive, conditions: readonly Directive[], isLast: boolean, led: Told | null): void {
    const place = this.#placeOf(each)
    const isRule = /^RewriteRule$/i.test(each.name)
    if (isTold(place)) {
      // It is not there, or not for the site.
      for (const condition of conditions) this.#refuse(condition, tell('config.line-not-taken'))
      return this.#refuse(each, place)
    }
    const { hosts } = place
    const doubt = place.doubt ?? led
    let read: Sayable<RedirectDraft>
    if (doubt !== null) read = unsaid(doubt)
    else if (isRule)
      read =
        each.own !== undefined
          ? ownRow(each.own, hosts, this.#site)
          : rewriteRule(each, conditions, { hosts, context: this.#context, isLast, site: this.#site })
    else read = /^Redirect/i.test(each.name) ? alias(each, hosts, this.#site) : unsaid(tell('config.maps-not-read'))
    const turn = (isRule ? TURN.rewrite : TURN.alias) + (place.isOfWhole ? TURN.ofWhole : 0) + each.line
    const said = { line: each.line, text: each.text.slice(0, LINE_SHOWN_CHARS), turn }
    if (read.ok) return void this.#lines.push({ ...said, draft: read.value, unsaid: null })
    for (const condition of conditions) this.#refuse(condition, tell('config.line-not-taken'))
    const reason = read.reason
    if (/^Rewrite(?:Map|Base)$/i.test(each.name)) return this.#refuse(each, reason)
    if (place.closed !== null) {
      // What a section says comes before what is said for all.
      const { name, asks } = place.closed
      const match =
        name === 'location' && asks.startsWith('/') ? ({ match: 'under', from: asks.split(' ')[0] ?? '/' } as const) : EVERYTHING
      return void this.#lines.push({
        ...said,
        draft: draftOf({ ...match, to: '', status: 410, hosts }),
        turn: -1,
        isPerhaps: true,
        unsaid: reason,
      })
    }
    const taken = isRule ? takenByRule(each, conditions, hosts, this.#context, this.#site) : takenByAlias(each, hosts, this.#site)
    this.#lines.push({ ...said, ...taken, isPerhaps: taken.isPerhaps || doubt !== null, unsaid: reason })
  }

  /** Where a directive holds, and why nobody can tell that it does; a reason where it holds nowhere on this site. */
  #placeOf(each: Directive): Place | Told {
    const { name } = each
    const sections = this.#sections.get(each) ?? []
    const isRewrite = /^Rewrite/i.test(name)
    const absent = sections.flatMap((section) => this.#absenceOf(section) ?? [])[0]
    if (absent !== undefined) return absent
    const closed = sections.find(
      (section) => !OPEN_SECTIONS.has(section.name) && !(section.name === 'directory' && this.#context === 'folder'),
    )
    const host = sections.findLast((section) => section.name === 'virtualhost')
    const isOfWhole = host === undefined && this.#virtual.size > 0
    // What is said for all of them holds on hosts that have one.
    const hosts = isOfWhole
      ? [...new Set([...this.#virtual.values()].flat())]
      : host === undefined
        ? []
        : (this.#virtual.get(host.line) ?? [])
    if (isOfWhole && hosts.length === 0) return tell('config.no-own-virtual-host')
    if (host !== undefined && hosts.length === 0)
      return host.hosts.length === 0 ? tell('config.no-name-before') : tell('config.no-host-of-site', { host: host.hosts.join(' ') })
    if (isOfWhole && isRewrite && closed === undefined) return tell('config.outside-virtual-hosts')
    const rewriting = this.#rewriting.get(scopeOf(sections)) ?? (host === undefined ? undefined : this.#rewriting.get(0))
    if (isRewrite && !/^RewriteCond$/i.test(name) && closed === undefined && rewriting?.isOn !== true)
      return tell('config.rewriting-not-on')
    const doubt =
      closed === undefined
        ? sections.flatMap((section) => this.#doubtOf(section) ?? [])[0]
        : tell('config.inside-part', { part: closed.name })
    const perhapsOn = isRewrite && closed === undefined ? rewriting?.doubt : null
    return { hosts, doubt: doubt ?? perhapsOn ?? null, isOfWhole, closed: closed ?? null }
  }

  /** Why what is in a section is not there. */
  #absenceOf({ name, asks }: Section): Told | null {
    if (name !== 'ifmodule') return null
    const [, not = '', module = ''] = /^(!?)(.*)$/.exec(asks) ?? []
    const has = this.#site.modules?.get(module)
    if (has === undefined || has === (not === '')) return null
    return has ? tell('config.module-there', { module }) : tell('config.module-missing', { module })
  }

  /** Why nobody can tell that what is in a section is there; null where it is. */
  #doubtOf({ name, asks, line }: Section): Told | null {
    if (name === 'ifdefine') return tell('config.if-define', { asks })
    if (name === 'ifversion') return tell('config.if-version', { asks })
    if (name !== 'ifmodule') return null
    const module = asks.replace(/^!/, '')
    if (this.#site.modules?.has(module) === true) return null
    this.#ask({ what: 'module', name: module, line })
    return tell('config.if-module', { asks, module })
  }

  #ask(asked: Asked): void {
    if (asked.what === 'file') this.#refused.push({ line: asked.line, text: `Include ${asked.name}`, reason: INCLUDED })
    const key = `${asked.what} ${asked.name}`
    if (!this.#asks.has(key)) this.#asks.set(key, asked)
  }

  #otherwise(each: Directive): void {
    const place = this.#placeOf(each)
    if (isTold(place) || !TAKING.test(each.name)) return this.#refuse(each, tell('config.no-redirect'))
    this.#lines.push({
      line: each.line,
      text: each.text.slice(0, LINE_SHOWN_CHARS),
      draft: takenByAlias(each, place.hosts, this.#site).draft,
      // Other modules have a say before or after these two.
      turn: -1,
      isPerhaps: true,
      unsaid: tell('config.no-redirect'),
    })
  }

  #refuse({ line, text }: Directive, reason: Told): void {
    this.#refused.push({ line, text: text.slice(0, LINE_SHOWN_CHARS), reason })
  }
}

/** Of the rules behind one, how many are asked only where it says so (mod_rewrite, flags "chain" and "skip"). */
function ledBy({ args }: Directive): number {
  const flags = args[2] ?? ''
  if (/[[,]\s*(?:C|chain)\s*[\],]/i.test(flags)) return 1
  return Number(/[[,]\s*(?:S|skip)=(\d+)/i.exec(flags)?.[1] ?? 0)
}

const INCLUDED = tell('config.other-file')
const isGuard = ({ text }: Directive, conditions: readonly Directive[]): boolean =>
  /^RewriteRule \^ - \[S=\d+\]$/.test(text) &&
  conditions.length === 1 &&
  conditions.every(({ args }) => isOwnGuard(args[0] ?? '', args[1] ?? ''))

/** A row of ours, on the hosts of the server it stands in. */
function ownRow(draft: RedirectDraft, hosts: readonly string[], site: ReadingSite): Sayable<RedirectDraft> {
  const stranger = draft.hosts.find((host) => !site.hosts.includes(host))
  if (stranger !== undefined) return unsaid(tell('config.no-host-of-site', { host: stranger }))
  if (hosts.length === 0) return ok(draft)
  const both = draft.hosts.length === 0 ? hosts : draft.hosts.filter((host) => hosts.includes(host))
  return both.length === 0 ? unsaid(tell('config.other-name')) : ok({ ...draft, hosts: both })
}
