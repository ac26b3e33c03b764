import { labelOf, type Menu, type MenuEntry } from './menu.ts'

/** An entry with how deep it stands, for a list that is dragged and keyed. Depth 0 is the outermost. */
export interface FlatEntry extends Omit<MenuEntry, 'children'> {
  readonly depth: number
}

/** Deepest level of entries, counted from 0: readers lose their way in more. */
const DEPTH_MAX = 3

/** A menu's entries one below the other. */
export function flatMenu(entries: readonly MenuEntry[], depth = 0): readonly FlatEntry[] {
  return entries.flatMap(({ children, ...entry }) => [{ ...entry, depth }, ...flatMenu(children, depth + 1)])
}

/** Entries put back into one another. An entry deeper than its place allows moves up to where it fits. */
export function nestedMenu(flat: readonly FlatEntry[]): readonly MenuEntry[] {
  interface Open {
    readonly depth: number
    readonly children: MenuEntry[]
  }
  const root: MenuEntry[] = []
  const open: Open[] = [{ depth: -1, children: root }]
  for (const { depth, ...entry } of flat) {
    const wanted = Math.min(depth, DEPTH_MAX, (open[open.length - 1]?.depth ?? -1) + 1)
    while (open.length > 1 && (open[open.length - 1]?.depth ?? -1) >= wanted) open.pop()
    const children: MenuEntry[] = []
    open[open.length - 1]?.children.push({ ...entry, children })
    open.push({ depth: wanted, children })
  }
  return root
}

/** How many entries an entry takes along: itself and what hangs below it. */
function spanOf(flat: readonly FlatEntry[], index: number): number {
  const depth = flat[index]?.depth ?? 0
  let end = index + 1
  while (end < flat.length && (flat[end]?.depth ?? 0) > depth) end++
  return end - index
}

const indexOf = (flat: readonly FlatEntry[], id: string): number => flat.findIndex((entry) => entry.id === id)
const tidy = (flat: readonly FlatEntry[]): readonly FlatEntry[] => flatMenu(nestedMenu(flat))

/**
 * Moves an entry, with what hangs below it, to another place.
 * @param to - index it takes among the entries that stay
 * @param depth - level it is to have there
 */
export function moveEntry(flat: readonly FlatEntry[], id: string, to: number, depth: number): readonly FlatEntry[] {
  const index = indexOf(flat, id)
  if (index === -1) return flat
  const span = spanOf(flat, index)
  const moved = flat.slice(index, index + span)
  const shift = depth - (moved[0]?.depth ?? 0)
  const rest = [...flat.slice(0, index), ...flat.slice(index + span)]
  rest.splice(to, 0, ...moved.map((entry) => ({ ...entry, depth: Math.max(0, entry.depth + shift) })))
  return tidy(rest)
}

/** Makes an entry a child of the one above it; the same list where it cannot be. */
export function indentEntry(flat: readonly FlatEntry[], id: string): readonly FlatEntry[] {
  const index = indexOf(flat, id)
  const above = flat[index - 1]
  const entry = flat[index]
  if (entry === undefined || above === undefined || above.depth < entry.depth || entry.depth >= DEPTH_MAX) return flat
  return shifted(flat, index, 1)
}

/** Makes an entry a sibling of the one it hangs below; the same list where it hangs below none. */
export function outdentEntry(flat: readonly FlatEntry[], id: string): readonly FlatEntry[] {
  const index = indexOf(flat, id)
  return (flat[index]?.depth ?? 0) === 0 ? flat : shifted(flat, index, -1)
}

function shifted(flat: readonly FlatEntry[], index: number, by: number): readonly FlatEntry[] {
  const end = index + spanOf(flat, index)
  return tidy(flat.map((entry, i) => (i >= index && i < end ? { ...entry, depth: entry.depth + by } : entry)))
}

/** Takes an entry out; what hung below it moves up one level. */
export function removeEntry(flat: readonly FlatEntry[], id: string): readonly FlatEntry[] {
  const index = indexOf(flat, id)
  if (index === -1) return flat
  const end = index + spanOf(flat, index)
  return tidy(flat.map((entry, i) => (i > index && i < end ? { ...entry, depth: entry.depth - 1 } : entry)).filter((_, i) => i !== index))
}

/**
 * Gives several titles a landing in one go.
 * @param landings - address by entry id; "" takes a landing away
 */
export function setLandings(flat: readonly FlatEntry[], landings: ReadonlyMap<string, string>): readonly FlatEntry[] {
  return flat.map((entry) => {
    const href = landings.get(entry.id)
    return href === undefined || href === entry.href ? entry : { ...entry, href }
  })
}

/** Adds a new page where the menu says that new pages join; the same menu when it joins nowhere or is in it already. */
export function joinMenu(menu: Menu, page: { readonly id: string; readonly path: string; readonly title: string }): Menu {
  const isIn = (entries: readonly MenuEntry[]): boolean => entries.some((entry) => entry.href === page.path || isIn(entry.children))
  if (menu.joins === 'nowhere' || menu.left.includes(page.path) || isIn(menu.entries)) return menu
  const entry: MenuEntry = { id: page.id, kind: 'page', label: labelOf(page.title), href: page.path, children: [] }
  if (menu.joins === 'first') return { ...menu, entries: [entry, ...menu.entries] }
  if (menu.joins === 'last') return { ...menu, entries: [...menu.entries, entry] }
  const { under } = menu.joins
  const put = (entries: readonly MenuEntry[]): readonly MenuEntry[] =>
    entries.map((each) => ({ ...each, children: each.id === under ? [...each.children, entry] : put(each.children) }))
  return { ...menu, entries: put(menu.entries) }
}

/** Leaves a page out on purpose, where new pages would join; the same menu where they do not. */
export const leaveOut = (menu: Menu, path: string): Menu =>
  menu.joins === 'nowhere' || menu.left.includes(path) ? menu : { ...menu, left: [...menu.left, path] }

/** The pages of the site that a menu does not show, those left out on purpose last. */
export function leftOut<P extends { readonly path: string }>(menu: Menu, pages: readonly P[]): readonly P[] {
  const shown = new Set(flatMenu(menu.entries).map(({ href }) => href))
  const out = pages.filter(({ path }) => !shown.has(path))
  return [...out.filter(({ path }) => !menu.left.includes(path)), ...out.filter(({ path }) => menu.left.includes(path))]
}

/** Leads entries on where a page has moved to, and leaves it out there where it was left out; the same menu where it names the page nowhere. */
export function moveInMenu(menu: Menu, from: string, to: string): Menu {
  let isNamed = menu.left.includes(from)
  const moved = (entries: readonly MenuEntry[]): readonly MenuEntry[] =>
    entries.map((entry) => {
      if (entry.href === from) isNamed = true
      return { ...entry, href: entry.href === from ? to : entry.href, children: moved(entry.children) }
    })
  const entries = moved(menu.entries)
  return isNamed ? { ...menu, entries, left: menu.left.map((path) => (path === from ? to : path)) } : menu
}
