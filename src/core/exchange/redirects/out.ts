import { isTold, type Told, tell } from '../../../words/index.ts'
import { compareRedirects, type ReadyRedirect, readyRedirect, type Tolerance } from '../../routing/index.ts'
import { type CodeSet, codeOf, type SentPath, sameLower } from './expressions/index.ts'
import type { RedirectDraft, Unsaid } from './row.ts'
import { escapedText, queryTests, type WrittenRow, writtenRow } from './written.ts'

/** What has to be known of the site for whom a row is written. */
export interface WrittenSite {
  readonly tolerance: Tolerance
  /** Hosts that the site's pages stand on, lower case: rows that name none answer there. */
  readonly hosts: readonly string[]
}

/** The same, and how to speak to whoever reads the file. */
export interface WritingSite extends WrittenSite {
  readonly say: (told: Told) => string
}

/** Rows in the order in which they are asked, in the form in which other servers can say them, and those that they cannot. */
export function writtenRows(drafts: readonly RedirectDraft[], tolerance: Tolerance): { rows: WrittenRow[]; unsaid: Unsaid[] } {
  const rows: WrittenRow[] = []
  const unsaid: Unsaid[] = []
  for (const { draft, ready } of inOrder(drafts, tolerance)) {
    const row = writtenRow(draft, ready.pattern, tolerance)
    if (isTold(row)) unsaid.push({ draft, reason: row })
    else rows.push(row)
  }
  return { rows, unsaid }
}

/** Rows in the order in which they are asked; those that are off, or cannot be read, are left out. */
const inOrder = (drafts: readonly RedirectDraft[], tolerance: Tolerance): { draft: RedirectDraft; ready: ReadyRedirect }[] =>
  drafts
    .flatMap((draft, order) => {
      const ready = draft.isOn ? readyRedirect({ ...draft, id: String(order).padStart(9, '0'), order }, tolerance) : null
      return ready?.ok === true ? [{ draft, ready: ready.value }] : []
    })
    .sort((a, b) => compareRedirects(a.ready, b.ready))

/** What differs there although the rows say the same, as comments at the head of what is written. */
export const DIFFERENCES = [tell('file.pages-unknown'), tell('file.caught-as-it-came'), tell('file.as-browsers-send')] as const

/** So many letters a line of a comment has at most, where its words allow. */
const COMMENT_CHARS = 140

/** What is said at the head of a file, in lines that are read without scrolling. */
export const headComments = (say: WritingSite['say'], told: readonly Told[]): string[] =>
  told.flatMap((each) => (say(each).match(new RegExp(`.{1,${COMMENT_CHARS}}(?:\\s+|$)`, 'g')) ?? []).map((line) => `# ${line.trimEnd()}`))

/** Rows that are left out, each with its reason in one line: an address may end as a line does that goes on in the next. */
export const commentsOf = (say: WritingSite['say'], unsaid: readonly Unsaid[]): string[] =>
  unsaid.map(({ draft, reason }) => `# ${say(tell('file.left-out', { from: oneLine(draft.from), to: oneLine(draft.to), why: reason }))}`)

const oneLine = (text: string): string => text.replace(/[\p{Cc}\p{Zl}\p{Zp}]/gu, ' ')

/** A path as an expression for what a server has read of it (bytes of UTF-8), where letters of ASCII are compared without case already. */
export const readSource = (path: string, ignoresCase: boolean): string =>
  ASCII.test(path) || !ignoresCase
    ? escapedText(path)
    : [...path.toLowerCase()].map((char) => (char < '\x80' ? escapedText(char) : anyOf(codesOf(sameLower(codeOf(char)))))).join('')

const ASCII = /^[\0-\x7f]*$/
const codesOf = (set: CodeSet): number[] => set.flatMap(([from, to]) => Array.from({ length: to - from + 1 }, (_, i) => from + i))
const anyOf = (codes: readonly number[]): string => {
  const letters = codes.map((code) => escapedText(String.fromCodePoint(code)))
  return letters.length === 1 ? letters.join('') : `(?:${letters.join('|')})`
}

/** A row in the path as it is sent, with its query and the blank behind both. */
export function sentSource(sent: SentPath, draft: RedirectDraft): string {
  const tests = queryTests(draft)
  const query =
    tests.length === 0 ? '(?:\\?[^ ]*)?' : tests.includes('') ? '\\??' : `\\?${tests.map((test) => `(?=${test} )`).join('')}[^ ]*`
  return `${sent.source}${query} `
}
