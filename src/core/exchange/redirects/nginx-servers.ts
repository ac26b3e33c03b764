import { compileExpression } from '../../routing/index.ts'
import type { Directive } from './nginx-text.ts'

/** A server's block, and those of the site's hosts that it answers. */
export interface ServerBlock {
  readonly block: Directive
  readonly hosts: readonly string[]
}

/**
 * Which server answers which host (ngx_http_core_module, "server_name"): the one with its name, with the longest "*." before it, with
 * the longest ".*" behind it, with the first expression that matches it, or else the default one, if that is no other host's by name.
 */
export function serversOf(blocks: readonly Directive[], hosts: readonly string[]): ServerBlock[] {
  const named = blocks.map((block) => ({ block, names: namesOf(block), hosts: [] as string[] }))
  const first = named.find(({ block }) => isDefault(block)) ?? named[0]
  const standing =
    first?.names.every((name) => name === '_' || name === '') === true || (first !== undefined && isDefault(first.block))
      ? first
      : undefined
  for (const host of hosts) {
    const ranked = named
      .flatMap((server, order) => server.names.map((name) => ({ server, order, rank: rankOf(name, host) })))
      .filter(({ rank }) => rank > 0)
      .sort((a, b) => b.rank - a.rank || a.order - b.order)
    const best = ranked[0]
    if (best === undefined) standing?.hosts.push(host)
    // The same name may stand in several, for other ports.
    else
      for (const { server, rank } of ranked)
        if (rank === best.rank && rank >= EXACT && !server.hosts.includes(host)) server.hosts.push(host)
    if (best !== undefined && best.rank < EXACT) best.server.hosts.push(host)
  }
  return named.map(({ block, hosts: own }) => ({ block, hosts: own }))
}

export const namesOf = ({ inside }: Directive): string[] =>
  (inside ?? [])
    .filter(({ words }) => words[0] === 'server_name')
    .flatMap(({ words }) => words.slice(1).map((name) => (name.startsWith('~') ? name : name.toLowerCase())))

const isDefault = ({ inside }: Directive): boolean =>
  (inside ?? []).some(({ words }) => words[0] === 'listen' && words.some((word) => /^default(?:_server)?$/.test(word)))

/** How closely a name means a host; 0 where it does not. */
const EXACT = 1e6
function rankOf(name: string, host: string): number {
  if (name.startsWith('~')) {
    const compiled = compileExpression(name.slice(1).replaceAll('(?<', '(?P<'), true)
    return compiled.ok && compiled.value.match(host) !== null ? 1 : 0
  }
  if (name === host) return EXACT
  if (name.startsWith('.')) return name.slice(1) === host ? EXACT : host.endsWith(name) ? 1e4 + name.length : 0
  if (name.startsWith('*.')) return host.endsWith(name.slice(1)) ? 1e4 + name.length : 0
  if (name.endsWith('.*')) return host.startsWith(name.slice(0, -1)) ? 1e2 + name.length : 0
  return 0
}

/** Where a location is for: "=" one path, "^~" and "" whatever begins so, "~" and "~*" what an expression matches. */
export interface Location {
  readonly how: '=' | '^~' | '~' | '~*' | ''
  readonly path: string
  readonly line: number
}

/** Which of a server's locations a path goes to (ngx_http_core_module, "location"); null for none. */
export function locationFor(locations: readonly Location[], path: string): Location | null {
  let longest: Location | null = null
  for (const each of locations) {
    if (each.how === '=' && each.path === path) return each
    if (
      (each.how === '' || each.how === '^~') &&
      path.startsWith(each.path) &&
      (longest === null || each.path.length > longest.path.length)
    )
      longest = each
  }
  if (longest?.how === '^~') return longest
  return locations.find((each) => isMatching(each, path)) ?? longest
}

const compiled = new WeakMap<Location, (path: string) => boolean>()

function isMatching(location: Location, path: string): boolean {
  if (location.how !== '~' && location.how !== '~*') return false
  let test = compiled.get(location)
  if (test === undefined) {
    const made = compileExpression(location.path, location.how === '~*')
    // One that cannot be compiled may match whatever there is.
    test = made.ok ? (text) => made.value.match(text) !== null : () => true
    compiled.set(location, test)
  }
  return test(path)
}
