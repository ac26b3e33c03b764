/** What spreadsheets take for the beginning of a formula, behind any signs that it is none. */
const LIKE_FORMULA = /^'*[=+\-@\t\r\uff0b\uff0d\uff1d\uff20]/
const MARKED = /^'(?='*[=+\-@\t\r\uff0b\uff0d\uff1d\uff20])/

/** A text as it stands in a cell that a spreadsheet opens: with one "'" more, where it would be reckoned out. See {@link textOfCell}. */
export const cellOfText = (text: string): string => (LIKE_FORMULA.test(text) ? `'${text}` : text)

/** The text of such a cell, as it went. */
export const textOfCell = (cell: string): string => cell.replace(MARKED, '')
