import type { Told } from '../../../words/index.ts'
import type { Directive } from './httpd-text.ts'

/** Sections in which lines mean what they mean outside of them. */
export const OPEN_SECTIONS: ReadonlySet<string> = new Set(['ifmodule', 'virtualhost', 'ifversion', 'ifdefine'])
/** Sections of which only the server knows whether what is in them is there at all. */
const CONDITIONAL_SECTIONS = new Set(['ifmodule', 'ifversion', 'ifdefine'])

export interface Section {
  readonly name: string
  readonly line: number
  /** What it is written with: the module, version or word that it asks for. */
  readonly asks: string
  /** Names of a virtual host, wherever in it they stand. */
  readonly hosts: string[]
}

/** The sections that each directive stands in, outermost first. By the directive: a file that is put in twice has its lines twice. */
export function sectionsOf(directives: readonly Directive[]): ReadonlyMap<Directive, readonly Section[]> {
  const out = new Map<Directive, readonly Section[]>()
  let open: readonly Section[] = []
  for (const each of directives) {
    const { name, args, line } = each
    if (name.startsWith('</')) open = open.slice(0, -1)
    else if (name.startsWith('<')) open = [...open, { name: name.slice(1).toLowerCase(), line, asks: args.join(' '), hosts: [] }]
    else if (/^Server(?:Name|Alias)$/i.test(name))
      open.findLast((section) => section.name === 'virtualhost')?.hosts.push(...args.map(hostOf))
    out.set(each, open)
  }
  return out
}

const hostOf = (arg: string): string =>
  arg
    .toLowerCase()
    .replace(/^\w+:\/\//, '')
    .replace(/:\d+$/, '')

/** The part of a configuration that a directive is of: the line its section begins on; 0 for the whole. */
export const scopeOf = (sections: readonly Section[]): number => sections.findLast(({ name }) => !CONDITIONAL_SECTIONS.has(name))?.line ?? 0

/** Whether rewriting is on in a part of a configuration, and why nobody can tell; null where it is plain. */
export interface Rewriting {
  readonly isOn: boolean
  readonly doubt: Told | null
}

/**
 * Whether rewriting is switched on, by the parts in which that is said: the last word counts, and virtual hosts that say nothing go by
 * what is said for all (mod_rewrite, "RewriteEngine"; the server's configurations are merged so).
 * @param doubtOf - why nobody can tell that what a section holds is there; "absent" where it is not
 */
export function rewritingIn(
  directives: readonly Directive[],
  sections: ReadonlyMap<Directive, readonly Section[]>,
  doubtOf: (section: Section) => Told | 'absent' | null,
): ReadonlyMap<number, Rewriting> {
  const said = new Map<number, Rewriting>()
  for (const each of directives) {
    const { name, args } = each
    if (!/^RewriteEngine$/i.test(name)) continue
    const own = sections.get(each) ?? []
    const doubts = own.flatMap((section) => doubtOf(section) ?? [])
    const [doubt] = doubts.filter((each) => each !== 'absent')
    if (doubts.includes('absent')) continue
    const scope = scopeOf(own)
    const isOn = /^on$/i.test(args[0] ?? '')
    const before = said.get(scope) ?? { isOn: false, doubt: null }
    if (doubt === undefined) said.set(scope, { isOn, doubt: null })
    // What perhaps switches it on where it is on, or off where it is off, changes nothing.
    else if (isOn !== before.isOn) said.set(scope, { isOn: true, doubt })
  }
  return said
}

/**
 * Which of the site's hosts each virtual host answers, by the line it begins on: the first with that name (httpd, "Name-based Virtual
 * Host Support"). That the first of all answers whatever has no name is left out: it is somebody else's.
 */
export function virtualHosts(
  directives: readonly Directive[],
  sections: ReadonlyMap<Directive, readonly Section[]>,
  hosts: readonly string[],
): ReadonlyMap<number, readonly string[]> {
  const found = directives.filter(({ name }) => /^<VirtualHost$/i.test(name)).flatMap((each) => sections.get(each)?.at(-1) ?? [])
  const out = new Map<number, string[]>(found.map(({ line }) => [line, []]))
  for (const host of hosts) {
    const named = found.filter((section) => section.hosts.some((name) => isMeant(name, host)))
    // Others of just this name stand there for other ports.
    const chosen = named.filter((section, i) => i === 0 || (section.hosts.includes(host) && named[0]?.hosts.includes(host) === true))
    for (const { line } of chosen) out.get(line)?.push(host)
  }
  return out
}

const isMeant = (name: string, host: string): boolean =>
  new RegExp(
    `^${name
      .replace(/[\\^$.+()[\]{}|]/g, '\\$&')
      .replaceAll('*', '.*')
      .replaceAll('?', '.')}$`,
  ).test(host)
