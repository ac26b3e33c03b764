import type { PageSource } from '../../contract/pages.ts'
import type { PageNotes } from '../../core/content/index.ts'
import type { PatchSet } from '../../core/markup/index.ts'
import { call, isAway, Refusal, wordsOf } from '../../ui/api.ts'
import type { SaveAnswer } from './draft.ts'

/** Sends patch sets; every way it can go is an answer. */
export async function saveDraft(
  id: string,
  version: number,
  patchSets: readonly PatchSet[],
  notes: PageNotes | undefined,
): Promise<SaveAnswer> {
  const body = {
    version,
    patchSets: patchSets.map((set) => [...set]),
    ...(notes === undefined ? {} : { tags: [...notes.tags], writtenFor: notes.writtenFor }),
  }
  try {
    return {
      state: 'saved',
      page: await call('pages.change', { id, body }),
    }
  } catch (error) {
    if (isAway(error)) return { state: 'away', why: wordsOf(error) }
    if (error instanceof Refusal && error.fault === 'moved-on') return { state: 'moved on', current: error.facts.current as PageSource }
    return { state: 'refused', why: wordsOf(error) }
  }
}
