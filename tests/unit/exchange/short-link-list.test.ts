import assert from 'node:assert/strict'
import { test } from 'node:test'
import {
  cellOfText,
  draftOf,
  guessShortLinkList,
  headerOfColumns,
  listRecordOf,
  listRowOf,
  readListHeader,
  readListLayout,
  recordOf,
  textOfCell,
} from '../../../src/core/exchange/index.ts'

for (const [what, text, columns, isFirstARow] of [
  ['other names', 'Ziel;Kurz;Titel\nhttps://tides.example/a;ebbe;Ebbe und Flut', ['destination', 'slug', 'title'], false],
  ['no names', 'tides\thttps://tides.example/a\t301', ['slug', 'destination', 'status'], true],
  ['some of our names', 'url,title\nhttps://tides.example/a,Tides', ['destination', 'title'], false],
  ['nothing like a list', 'words and words', ['title'], false],
] as const)
  test(`columns of a list with ${what} are guessed, to be chosen`, () => {
    const guess = guessShortLinkList(text)
    assert.deepEqual([guess.columns, guess.isFirstARow], what === 'nothing like a list' ? [[null], false] : [columns, isFirstARow])
    const header = readListHeader(headerOfColumns(guess).trim())
    if (guess.columns.includes('destination')) assert.deepEqual(header?.columns, guess.columns)
  })

test('of a list with more columns than anybody asks about the first are guessed', () => {
  const wide = Array.from({ length: 5_000 }, (_, n) => (n === 7 ? 'https://tides.example/a' : `c${n}`)).join(',')
  const { columns, sample } = guessShortLinkList(`${wide}\n${wide}`)
  assert.deepEqual([columns.length, sample[0]?.length, columns.indexOf('destination')], [40, 40, 7])
})

test('a text comes back from a cell as it went, whatever it begins with, and no spreadsheet reckons it', () => {
  for (const text of ['=1+1', "'=1+1", "''=x", "'a", '-5', '+', '@x', '\u00e9', '', "'", '\uff1d1', 'plain']) {
    const cell = cellOfText(text)
    assert.doesNotMatch(cell, /^[=+\-@\uff1d]/)
    assert.equal(textOfCell(cell), text)
    assert.equal(listRowOf(['note'], [cell]).note, text)
    const draft = draftOf({ from: '/a', to: '/b', note: text })
    const layout = readListLayout('from,to,status,match,query,host,note,on,over pages,when,hidden')
    const cells = Object.values(listRecordOf(draft)).map(cellOfText)
    assert.equal(recordOf(layout, cells).note, text)
  }
  assert.equal(cellOfText('a=b'), 'a=b')
})
