import type { Step, StepKind } from '../../contract/steps.ts'
import { counted, type InWords } from '../../words/index.ts'
import { changeWords } from '../links/words.ts'

/** What each kind is called in the list, and the way to where it was done. */
export const KIND_WORDS: Readonly<Record<StepKind, readonly [words: string, path: string]>> = {
  links: ['Links', '/links'],
  'short-links': ['Short links', '/short-links'],
  redirects: ['Redirects', '/redirects'],
  partners: ['Partners', '/partners'],
  phrases: ['Phrases', '/partners?view=phrases'],
  rules: ['Rules', '/rules'],
  earnings: ['Reports', '/partners?view=earnings'],
  imports: ['Brought in', '/pages'],
}

const SHORT_LINK_WORDS: Readonly<Record<string, string>> = {
  list: 'taken from a list',
  isRemoved: 'taken away',
  status: 'given another status',
  addTags: 'tagged',
  removeTags: 'tagged no more',
  replace: 'led elsewhere',
}

/** What a step did, in a line. */
export function stepWords(step: InWords<Step>): string {
  switch (step.kind) {
    case 'links':
      return `${counted(step.links, 'link')} ${changeWords(step.change)}, on ${counted(step.pages, 'page')}`
    case 'short-links': {
      const done = step.what
        .split(' ')
        .map((word) => SHORT_LINK_WORDS[word])
        .filter((words) => words !== undefined)
      return `${counted(step.links, 'short link')} ${done.length === 0 ? `made for “${step.what}”` : done.join(', ')}`
    }
    case 'redirects':
      return `${step.what}: ${counted(step.rows, 'row')}`
    case 'partners': {
      const parts = [
        ...(step.placements === 0 ? [] : [counted(step.placements, 'link')]),
        ...(step.shortLinks === 0 ? [] : [counted(step.shortLinks, 'short link')]),
        ...(step.redirects === 0 ? [] : [counted(step.redirects, 'redirect')]),
      ]
      if (step.mended !== null) return `What led to ${step.mended.address} leads to ${step.mended.to}: ${parts.join(', ')}`
      return `Links to ${step.partner === '' ? 'a partner who is gone' : step.partner} pointed elsewhere: ${parts.join(', ')}`
    }
    case 'phrases':
      return `${counted(step.phrases, 'phrase')} looked for, to ${step.destination.replace(/^https?:\/\//, '')}`
    case 'rules':
      return `Rules saved, version ${step.version}: ${counted(step.rules, 'rule')}`
    case 'earnings':
      return `Report “${step.name}” of ${step.partner}: ${counted(step.lines, 'line')}`
    case 'imports':
      return `“${step.name}” brought in: ${[
        ...(step.pages === 0 && step.files > 0 ? [] : [counted(step.pages, 'page')]),
        ...(step.files === 0 ? [] : [counted(step.files, 'file')]),
      ].join(', ')}`
  }
}
