import type { Hint } from '../rules/index.ts'

/** One entry of a menu. A title leads nowhere unless it has a landing. */
export interface MenuEntry {
  readonly id: string
  readonly kind: 'page' | 'link' | 'title'
  readonly label: string
  /** Where it leads: a path of the site, a full address, or "" for a title without a landing. */
  readonly href: string
  /** Chosen by hand; left to the rules when absent. */
  readonly opens?: 'new tab' | 'same tab' | undefined
  readonly hints?: readonly Hint[] | undefined
  readonly children: readonly MenuEntry[]
}

/** A menu as it is stored: its entries, the pages that are never to join, and where new pages do. */
export interface Menu {
  readonly entries: readonly MenuEntry[]
  /** Paths of pages left out on purpose. */
  readonly left: readonly string[]
  /** Where a new page joins: nowhere, first, last, or as the last child of an entry. */
  readonly joins: 'nowhere' | 'first' | 'last' | { readonly under: string }
}

export const EMPTY_MENU: Menu = { entries: [], left: [], joins: 'nowhere' }

/** Longest label of an entry, in characters, whichever way it comes in. */
export const LABEL_MAX_CHARS = 200

/** A title as a label: cut at a word where it is too long. */
export function labelOf(title: string): string {
  const bare = title.replace(/\s+/g, ' ').trim()
  if (bare.length <= LABEL_MAX_CHARS) return bare
  const cut = bare.slice(0, LABEL_MAX_CHARS - 1)
  return `${cut.slice(0, Math.max(cut.lastIndexOf(' '), LABEL_MAX_CHARS - 40))}…`
}

/** Tells whether a stored menu can be read at all. */
export function isReadableMenu(text: string): boolean {
  try {
    return Array.isArray((JSON.parse(text) as Partial<Menu>).entries)
  } catch {
    return false
  }
}

/** Reads a stored menu; readers are shown nothing of one that cannot be read. Never throws. */
export function readMenu(text: string): Menu {
  try {
    const kept = JSON.parse(text) as Menu
    return Array.isArray(kept.entries) ? { ...EMPTY_MENU, ...kept } : EMPTY_MENU
  } catch {
    return EMPTY_MENU
  }
}

/** Every entry that leads somewhere, in the order readers meet them. */
export function menuLinks(entries: readonly MenuEntry[]): readonly MenuEntry[] {
  return entries.flatMap((entry) => [...(entry.href === '' ? [] : [entry]), ...menuLinks(entry.children)])
}

/** Titles that have no landing, in the order readers meet them: pressing one does nothing. */
export function titlesWithoutLanding(entries: readonly MenuEntry[]): readonly MenuEntry[] {
  return entries.flatMap((entry) => [
    ...(entry.kind === 'title' && entry.href === '' ? [entry] : []),
    ...titlesWithoutLanding(entry.children),
  ])
}
