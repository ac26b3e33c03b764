import type { Verdict } from '../../core/checks/index.ts'

/** What is said of a destination, in two or three words. */
export const VERDICT_WORDS: Readonly<Record<Verdict, string>> = {
  unreachable: 'cannot be reached',
  certificate: 'trouble with its certificate',
  'goes-round': 'goes round in a circle',
  missing: 'nothing there',
  'soft-missing': 'nothing there, but a page',
  parked: 'name for sale',
  failing: 'broken there',
  'number-lost': 'number lost on the way',
  changed: 'another page by now',
  refused: 'robots turned away',
  slow: 'slow',
  moved: 'moved for good',
  insecure: 'https not used',
  'moved-for-now': 'sent on for now',
  lands: 'lands',
}
