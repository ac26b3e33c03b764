import type { AddressKind } from '../address/index.ts'
import type { LinkFacts } from './facts.ts'
import type { Hint } from './rel.ts'

/** A link rule: where it holds, which links it means, and what it says of them. Parts left out say nothing. */
export interface Rule {
  readonly id: string
  readonly name: string
  readonly isOn: boolean
  /** Also overrides what is hand-set. */
  readonly isBinding: boolean
  readonly where: {
    /** Path prefixes by whole segments: "/islands" is that page and all beneath it. Any of them; empty or absent means everywhere. */
    readonly under?: readonly string[] | undefined
  }
  readonly which: {
    readonly kinds?: readonly AddressKind[] | undefined
    /** Hosts or registrable domains; a domain means its subdomains too. */
    readonly sites?: readonly string[] | undefined
    /** Leads to a partner's site, straight or by one of our short links. */
    readonly partner?: boolean | undefined
    /** Address with "*" for any stretch, compared without case. */
    readonly address?: string | undefined
    readonly origin?: 'written here' | 'imported' | undefined
    readonly shows?: 'text' | 'picture' | undefined
  }
  readonly what: {
    /** Exactly these hints; empty means: vouch. */
    readonly hints?: readonly Hint[] | undefined
    readonly opens?: 'new tab' | 'same tab' | undefined
    readonly noopener?: boolean | undefined
    readonly noreferrer?: boolean | undefined
  }
}

/** A rule made ready to be asked many times. */
export interface CompiledRule {
  readonly rule: Rule
  /** Place in the list people see, from 1. */
  readonly number: number
  readonly matches: (facts: LinkFacts) => boolean
}

type Test = (facts: LinkFacts) => boolean

/** Compiles the rules that are on, in their order. Their numbers count the ones that are off too. */
export function compileRules(rules: readonly Rule[]): readonly CompiledRule[] {
  return rules.map((rule, index) => ({ rule, number: index + 1, matches: compileTests(rule) })).filter(({ rule }) => rule.isOn)
}

function compileTests(rule: Rule): Test {
  const { kinds, sites, partner, address, origin, shows } = rule.which
  const tests: Test[] = []
  if (kinds !== undefined && kinds.length > 0) tests.push(kindTest(kinds))
  if (partner !== undefined) tests.push((facts) => facts.isPartner === partner)
  if (sites !== undefined && sites.length > 0) tests.push(siteTest(sites))
  if (address !== undefined && address !== '') {
    const isLike = wildcard(address)
    tests.push((facts) => facts.address !== null && isLike(facts.address))
  }
  if (origin !== undefined) tests.push((facts) => facts.origin === origin)
  if (shows !== undefined) tests.push((facts) => facts.shows === shows)
  const under = rule.where.under ?? []
  if (under.length > 0) tests.push(underTest(under))
  return (facts) => tests.every((test) => test(facts))
}

/** A rule for outside links means every link by which readers leave: partners' sites, and short links that lead away. */
function kindTest(kinds: readonly AddressKind[]): Test {
  const wanted = new Set<AddressKind | null>(kinds)
  const meansOutside = wanted.has('outside')
  return (facts) => wanted.has(facts.kind) || (meansOutside && facts.isOutside)
}

function siteTest(sites: readonly string[]): Test {
  const wanted = new Set(sites.map((site) => site.toLowerCase()))
  return (facts) => {
    if (facts.site === null) return false
    if (wanted.has(facts.site)) return true
    // A host below the registrable domain, or a parent of the one the link names.
    for (let host = hostOf(facts); host.includes('.'); host = host.slice(host.indexOf('.') + 1)) if (wanted.has(host)) return true
    return false
  }
}

const hostOf = (facts: LinkFacts): string => (facts.address === null || facts.kind === 'short link' ? '' : new URL(facts.address).hostname)

function underTest(under: readonly string[]): Test {
  const stems = under.map((path) => path.replace(/\/+$/, ''))
  return (facts) => stems.some((stem) => facts.page === stem || facts.page.startsWith(`${stem}/`))
}

/** "*" stands for any stretch of characters; linear in the length of the address, whatever the pattern. */
export function wildcard(pattern: string): (text: string) => boolean {
  const [head = '', ...rest] = pattern.toLowerCase().split('*')
  const tail = rest.pop()
  return (text) => {
    const lower = text.toLowerCase()
    if (tail === undefined) return lower === head
    if (!lower.startsWith(head)) return false
    let at = head.length
    for (const part of rest) {
      const found = lower.indexOf(part, at)
      if (found === -1) return false
      at = found + part.length
    }
    return lower.length - at >= tail.length && lower.endsWith(tail)
  }
}
