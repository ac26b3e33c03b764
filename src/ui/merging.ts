/** What became of three versions of the same fields. */
export interface Merged<T> {
  /** Mine, with theirs where I touched nothing. */
  readonly value: T
  /** Fields that both of us changed, and not to the same. */
  readonly conflicts: readonly (keyof T & string)[]
}

export const isSame = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b)

/** Puts two versions of one field together, by the one that both began with; undefined where only a person can. */
export type Merger<V> = (base: V, mine: V, theirs: V) => V | undefined
/** Of fields that are more than one thing, such as an order. */
export type Mergers<T> = { readonly [K in keyof T]?: Merger<T[K]> }

/**
 * Puts together what two people made of the same fields.
 * @param base - what both began with
 */
export function mergeFields<T extends object>(base: T, mine: T, theirs: T, mergers: Mergers<T> = {}): Merged<T> {
  const value = { ...mine }
  const conflicts: (keyof T & string)[] = []
  for (const name of Object.keys({ ...theirs, ...mine }) as (keyof T & string)[]) {
    const isMine = !isSame(base[name], mine[name])
    const isTheirs = !isSame(base[name], theirs[name])
    if (isTheirs && !isMine) value[name] = theirs[name]
    else if (isTheirs && !isSame(mine[name], theirs[name])) {
      const both = mergers[name]?.(base[name], mine[name], theirs[name])
      if (both === undefined) conflicts.push(name)
      else value[name] = both
    }
  }
  return { value, conflicts }
}

/** Fields that are being edited on top of a version that somebody saved. */
export interface Draft<T> {
  readonly base: T
  readonly version: number
  readonly mine: T
  /** Of the fields that both changed: what they say now. */
  readonly theirs: Partial<T>
}

export const beginDraft = <T extends object>(saved: T, version: number): Draft<T> => ({ base: saved, version, mine: saved, theirs: {} })

/** A newer version is there: what does not touch is merged, what does waits to be chosen. The same draft where it is no newer. */
export function meet<T extends object>(draft: Draft<T>, saved: T, version: number, mergers: Mergers<T> = {}): Draft<T> {
  if (version <= draft.version) return draft
  const { value, conflicts } = mergeFields(draft.base, draft.mine, saved, mergers)
  // What was not chosen yet is still not chosen, unless they came to say the same.
  const notChosen = Object.keys(draft.theirs) as (keyof T & string)[]
  const open = [...new Set([...conflicts, ...notChosen])].filter((name) => !isSame(value[name], saved[name]))
  return { base: saved, version, mine: value, theirs: Object.fromEntries(open.map((name) => [name, saved[name]])) as Partial<T> }
}

/** One field chosen, mine or theirs. */
export function take<T extends object>(draft: Draft<T>, name: keyof T & string, whose: 'mine' | 'theirs'): Draft<T> {
  const { [name]: said, ...theirs } = draft.theirs
  const mine = whose === 'theirs' ? { ...draft.mine, [name]: said } : draft.mine
  return { ...draft, mine, theirs: theirs as Partial<T> }
}

/**
 * Two orders of named things put together: what one of two added, took away or moved is so in both. Where both moved what was
 * there before, only a person can say.
 */
export const mergeOrder: Merger<readonly string[]> = (base, mine, theirs) => {
  const common = base.filter((id) => mine.includes(id) && theirs.includes(id))
  const orderIn = (ids: readonly string[]): readonly string[] => ids.filter((id) => common.includes(id))
  const [isMovedByMe, isMovedByThem] = [!isSame(orderIn(mine), common), !isSame(orderIn(theirs), common)]
  if (isMovedByMe && isMovedByThem && !isSame(orderIn(mine), orderIn(theirs))) return undefined
  const [kept, other] = isMovedByMe ? [mine, theirs] : [theirs, mine]
  const both = kept.filter((id) => common.includes(id) || !base.includes(id))
  for (const [at, id] of other.entries()) {
    if (both.includes(id) || base.includes(id)) continue
    const before = other.slice(0, at).findLast((each) => both.includes(each))
    both.splice(before === undefined ? 0 : both.indexOf(before) + 1, 0, id)
  }
  return both
}
