/** Cells of one line, without the blanks and the quotes around each. */
export const cellsOf = (line: string, delimiter: string): string[] =>
  line.split(delimiter).map((cell) =>
    cell
      .trim()
      .replace(/^"(.*)"$/, '$1')
      .trim(),
  )
export { cellOfText, textOfCell } from './cell.ts'
