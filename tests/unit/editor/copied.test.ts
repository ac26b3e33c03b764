import assert from 'node:assert/strict'
import { test } from 'node:test'
import { rememberCopied, withoutForeignMarks } from '../../../src/islands/editor/copied.ts'

function storage(maxChars = Number.POSITIVE_INFINITY): Pick<Storage, 'getItem' | 'setItem'> {
  const kept = new Map<string, string>()
  return {
    getItem: (key) => kept.get(key) ?? null,
    setItem(key, value) {
      if (value.length > maxChars) throw new Error('full')
      kept.set(key, value)
    },
  }
}
const OWN = '<a href="/tides" rel="nofollow" data-by-hand="hints">tides</a>'

test('what was copied here comes back hand-set, whatever stands around it', () => {
  const kept = storage()
  rememberCopied(`<p>See ${OWN}</p>`, kept)
  assert.equal(withoutForeignMarks(`<div>${OWN} and <a href="/x">x</a></div>`, kept), `<div>${OWN} and <a href="/x">x</a></div>`)
})

test('a mark from elsewhere is taken off, and nothing else of the link', () => {
  const kept = storage()
  const foreign = '<a href="https://lanterns.example/" rel="" data-by-hand="hints">lamps</a>'
  assert.equal(withoutForeignMarks(foreign, kept), '<a href="https://lanterns.example/" rel="">lamps</a>')
  rememberCopied(OWN, kept)
  assert.equal(withoutForeignMarks(OWN.replace('/tides', '/paid') + OWN, kept), `<a href="/paid" rel="nofollow">tides</a>${OWN}`)
})

test('where nothing more can be kept, marks are left off', () => {
  const kept = storage(10)
  rememberCopied(OWN, kept)
  assert.equal(withoutForeignMarks(OWN, kept), '<a href="/tides" rel="nofollow">tides</a>')
})
