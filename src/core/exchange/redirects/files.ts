/** A file that stands behind a configuration in the same text. */
export interface BroughtFile {
  readonly name: string
  readonly text: string
  /** In the whole text, that it begins on. */
  readonly line: number
}

/** A configuration, and the files that it includes, as far as they stand behind it. */
export interface WithFiles {
  readonly main: string
  /** The files that an include means; none once there is no room for more, so that files which include one another come to an end. */
  take(name: string): readonly BroughtFile[]
}

/** Files that are known; how often they are put in, files in files too; and characters of a name and of all that is put in. */
const FILES_MAX = 200
const PUT_IN_MAX = 200
const NAME_MAX_CHARS = 300
const PUT_IN_MAX_CHARS = 30_000_000

/** How a line begins behind which a file stands, in the text that both are brought in as; to either server it is a comment. */
const BEGINS = '#file '

/** Parts a configuration from the files that stand behind it, each begun by a line "#file NAME". */
export function filesOf(text: string): WithFiles {
  const begins: number[] = text.startsWith(BEGINS) ? [0] : []
  for (let at = text.indexOf(`\n${BEGINS}`); at !== -1 && begins.length < FILES_MAX; at = text.indexOf(`\n${BEGINS}`, at + 1))
    begins.push(at + 1)
  let [line, counted] = [1, 0]
  const files = begins.map((begin, i): BroughtFile => {
    const end = text.indexOf('\n', begin)
    const from = end === -1 ? text.length : end + 1
    for (let at = text.indexOf('\n', counted); at !== -1 && at < from; at = text.indexOf('\n', at + 1)) line++
    counted = from
    const name = text.slice(begin + BEGINS.length, Math.min(from, begin + BEGINS.length + NAME_MAX_CHARS)).trim()
    return { name, text: text.slice(from, begins[i + 1]), line }
  })
  let [left, leftChars] = [PUT_IN_MAX, PUT_IN_MAX_CHARS]
  return {
    main: text.slice(0, begins[0]),
    take(name) {
      const meant = meantBy(name, files)
      left -= meant.length
      leftChars -= meant.reduce((sum, file) => sum + file.text.length, 0)
      return left < 0 || leftChars < 0 ? [] : meant
    },
  }
}

/** By their name, wherever they lie, or by a pattern of names. */
function meantBy(name: string, files: readonly BroughtFile[]): readonly BroughtFile[] {
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
