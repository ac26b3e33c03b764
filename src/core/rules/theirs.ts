import { type Attribute, type Patch, type PatchSet, scanLinks } from '../markup/index.ts'

/** Attributes of somebody else's page that are named as our marks are, or as those are once they were set aside. */
const LIKE_OURS = /^data-(?:theirs-)*(?:by-hand|tags)$/
const SET_ASIDE = /^data-theirs-(?:theirs-)*(?:by-hand|tags)$/
const PREFIX = 'data-'
const ASIDE = 'theirs-'

/**
 * The patches that set aside what somebody else's page says in attributes named as our marks are, so that they are never
 * taken for ours: they get another name, under which they are stored. {@link givenBack} gives them their own again.
 */
export function setAside(html: string): PatchSet {
  if (!/data-(?:theirs-)*(?:by-hand|tags)/i.test(html)) return []
  const patches: Patch[] = []
  for (const { attributes } of scanLinks(html).links)
    for (const { name, start } of attributes)
      if (LIKE_OURS.test(name)) patches.push({ from: start + PREFIX.length, to: start + PREFIX.length, insert: ASIDE })
  return patches
}

/** The patches that give a link's attributes which were set aside their own names again; for what is delivered. */
export const givenBack = (attributes: readonly Attribute[]): Patch[] =>
  attributes
    .filter(({ name }) => SET_ASIDE.test(name))
    .map(({ start }) => ({ from: start + PREFIX.length, to: start + PREFIX.length + ASIDE.length, insert: '' }))
