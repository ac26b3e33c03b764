/** A file that stands behind a configuration in the same text. */
export interface BroughtFile {
  readonly name: string
  readonly text: string
  /** In the whole text, that it begins on. */
  readonly line: number
}

/** How a file begins that a configuration includes, in the text that both are brought in as; to either server it is a comment. */
const BEGINS = /^#file[ \t]+(\S.*?)[ \t]*\r?$/gm

/** A configuration, and the files that stand behind it, each begun by a line "#file NAME". */
export function filesOf(text: string): { readonly main: string; readonly files: readonly BroughtFile[] } {
  const found = [...text.matchAll(BEGINS)]
  const files = found.map((each, i): BroughtFile => {
    const from = each.index + each[0].length + 1
    return { name: each[1] ?? '', text: text.slice(from, found[i + 1]?.index), line: lineAt(text, from) }
  })
  return { main: text.slice(0, found[0]?.index), files }
}

function lineAt(text: string, at: number): number {
  let line = 1
  for (let i = text.indexOf('\n'); i !== -1 && i < at; i = text.indexOf('\n', i + 1)) line++
  return line
}

/** Most files that are put in one after another, files in files too. */
export const PUT_IN_MAX = 200

/** The files that an include means: by their name, wherever they lie, or by a pattern of names. */
export function meantBy(name: string, files: readonly BroughtFile[]): readonly BroughtFile[] {
  const base = baseOf(name)
  const pattern = new RegExp(
    `^${base
      .replace(/[\\^$.+()[\]{}|]/g, '\\$&')
      .replaceAll('*', '.*')
      .replaceAll('?', '.')}$`,
  )
  return files.filter((file) => file.name === name || pattern.test(baseOf(file.name)))
}

const baseOf = (name: string): string => name.replace(/^.*[/\\]/, '')
