import type { AddressKind } from '../address/index.ts'
import type { LinkFacts, PartKind } from './facts.ts'

/** One question about a link, or about where it stands. */
export type Test =
  /** Of one of these kinds. "outside" means every link by which readers leave: partners' sites, and short links that lead away. */
  | { readonly is: 'kind'; readonly of: readonly AddressKind[] }
  /** Leads to one of these hosts or registrable domains; a domain means its subdomains too. */
  | { readonly is: 'site'; readonly of: readonly string[] }
  /** Leads to a partner, straight or by a short link: to any, or to one of these (ids). */
  | { readonly is: 'partner'; readonly of?: readonly string[] | undefined }
  /** Address with "*" for any stretch, compared without case. */
  | { readonly is: 'address'; readonly like: string }
  | { readonly is: 'origin'; readonly of: 'written here' | 'imported' }
  | { readonly is: 'shows'; readonly of: 'text' | 'picture' }
  /** On a page under one of these paths, by whole segments: "/islands" is that page and all beneath it. */
  | { readonly is: 'under'; readonly of: readonly string[] }
  /** In the page itself, in a shared block, in a menu; only in blocks or menus of these names where some are given. */
  | { readonly is: 'part'; readonly of: readonly PartKind[]; readonly named?: readonly string[] | undefined }
  /** The link or its page has one of these tags, compared without case. */
  | { readonly is: 'tag'; readonly of: readonly string[] }
  /** On a page that is written for a partner. */
  | { readonly is: 'sponsored page' }

/** Tests combined. `all` of nothing is every link, `any` of nothing is none. */
export type Condition = { readonly all: readonly Condition[] } | { readonly any: readonly Condition[] } | { readonly not: Condition } | Test

/** Deepest nesting that is compiled. */
export const CONDITION_MAX_DEPTH = 6

type Matcher = (facts: LinkFacts) => boolean

/** Makes a condition ready to be asked many times. */
export function compileCondition(condition: Condition): Matcher {
  if ('all' in condition) {
    const parts = condition.all.map(compileCondition)
    const [one] = parts
    if (parts.length === 1 && one !== undefined) return one
    return (facts) => parts.every((part) => part(facts))
  }
  if ('any' in condition) {
    const parts = condition.any.map(compileCondition)
    return (facts) => parts.some((part) => part(facts))
  }
  if ('not' in condition) {
    const part = compileCondition(condition.not)
    return (facts) => !part(facts)
  }
  return compileTest(condition)
}

function compileTest(test: Test): Matcher {
  switch (test.is) {
    case 'kind': {
      const wanted = new Set<AddressKind | null>(test.of)
      const meansOutside = wanted.has('outside')
      return (facts) => wanted.has(facts.kind) || (meansOutside && facts.isOutside)
    }
    case 'site':
      return siteMatcher(test.of)
    case 'partner': {
      const { of } = test
      return of === undefined ? (facts) => facts.isPartner : (facts) => facts.partner !== null && of.includes(facts.partner)
    }
    case 'address': {
      const isLike = wildcard(test.like)
      return (facts) => facts.address !== null && isLike(facts.address)
    }
    case 'origin':
      return (facts) => facts.origin === test.of
    case 'shows':
      return (facts) => facts.shows === test.of
    case 'under': {
      const stems = test.of.map(stemOf)
      return (facts) => stems.some((stem) => isUnder(facts.page, stem))
    }
    case 'part': {
      const { of, named } = test
      return ({ part }) =>
        of.includes(part?.kind ?? 'page') && (named === undefined || named.length === 0 || part === null || named.includes(part.name))
    }
    case 'tag': {
      const wanted = new Set(test.of.map((tag) => tag.toLowerCase()))
      return (facts) => facts.tags.some((tag) => wanted.has(tag.toLowerCase()))
    }
    case 'sponsored page':
      return (facts) => facts.isSponsoredPage
  }
}

function siteMatcher(sites: readonly string[]): Matcher {
  const wanted = new Set(sites.map((site) => site.toLowerCase()))
  return (facts) => {
    if (facts.site === null) return false
    if (wanted.has(facts.site)) return true
    // A host below the registrable domain, or a parent of the one the link names.
    for (let { host } = facts; host.includes('.'); host = host.slice(host.indexOf('.') + 1)) if (wanted.has(host)) return true
    return false
  }
}

const stemOf = (path: string): string => path.replace(/\/+$/, '')
const isUnder = (path: string, stem: string): boolean => path === stem || path.startsWith(`${stem}/`)

/** "*" stands for any stretch of characters; linear in the length of the address, whatever the pattern. */
export function wildcard(pattern: string): (text: string) => boolean {
  const isLike = lowerWildcard(pattern)
  return (text) => isLike(text.toLowerCase())
}

/** The same for texts that are in lower case already. */
export function lowerWildcard(pattern: string): (lower: string) => boolean {
  const [head = '', ...rest] = pattern.toLowerCase().split('*')
  const tail = rest.pop()
  return (lower) => {
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

/** Every test of a condition, in order. */
export function testsOf(condition: Condition): readonly Test[] {
  if ('all' in condition) return condition.all.flatMap(testsOf)
  if ('any' in condition) return condition.any.flatMap(testsOf)
  if ('not' in condition) return testsOf(condition.not)
  return [condition]
}

/**
 * Tells whether every link that meets `a` also meets `b`, as far as that can be read from the two conditions: a "yes" is
 * certain, a "no" may only mean that it does not show.
 */
export function implies(a: Condition, b: Condition): boolean {
  if ('all' in b) return b.all.every((part) => implies(a, part))
  if ('any' in a) return a.any.every((part) => implies(part, b))
  if ('any' in b) return b.any.some((part) => implies(a, part)) || ('all' in a && a.all.some((part) => implies(part, b)))
  if ('all' in a) return a.all.some((part) => implies(part, b))
  if ('not' in a) return 'not' in b && implies(b.not, a.not)
  if ('not' in b) return false
  return testImplies(a, b)
}

const isSubset = <T>(a: readonly T[], b: readonly T[]): boolean => a.every((each) => b.includes(each))
const isBelow = (host: string, site: string): boolean => host === site || host.endsWith(`.${site}`)

function testImplies(a: Test, b: Test): boolean {
  if (a.is === 'partner' && b.is === 'kind') return b.of.includes('outside')
  if (a.is === 'kind' && b.is === 'kind')
    return a.of.every((kind) => b.of.includes(kind) || (kind === 'partner' && b.of.includes('outside')))
  if (a.is === 'site' && b.is === 'site')
    return a.of.every((site) => b.of.some((other) => isBelow(site.toLowerCase(), other.toLowerCase())))
  if (a.is === 'partner' && b.is === 'partner') return b.of === undefined || (a.of !== undefined && isSubset(a.of, b.of))
  if (a.is === 'address' && b.is === 'address')
    return a.like.toLowerCase() === b.like.toLowerCase() || (!a.like.includes('*') && wildcard(b.like)(a.like))
  if (a.is === 'origin' && b.is === 'origin') return a.of === b.of
  if (a.is === 'shows' && b.is === 'shows') return a.of === b.of
  if (a.is === 'under' && b.is === 'under') return a.of.every((path) => b.of.some((other) => isUnder(stemOf(path), stemOf(other))))
  if (a.is === 'part' && b.is === 'part') {
    const named = b.named ?? []
    return isSubset(a.of, b.of) && (named.length === 0 || ((a.named ?? []).length > 0 && isSubset(a.named ?? [], named)))
  }
  if (a.is === 'tag' && b.is === 'tag') return isSubset(a.of, b.of)
  return a.is === 'sponsored page' && b.is === 'sponsored page'
}
