import assert from 'node:assert/strict'
import { test } from 'node:test'
import {
  type ClickLine,
  type MissedLine,
  readClickStart,
  readClickTail,
  readMissed,
  readSeen,
  type SeenLine,
  SOURCE_OF,
  SOURCES,
  withoutVariant,
  writeClick,
  writeMissed,
  writeSeen,
} from '../../../src/core/clicks/index.ts'

const AT = '2026-11-24T07:05:01.123Z'
const ID = '0b3f2c64-9d1e-4c47-8f10-2b7a4b1f9e55'
const CLICK: ClickLine = {
  ...{ at: AT, shortLinkId: ID, visit: 'person', visitor: '00ff00ff00ff00ff' },
  ...{ device: 'phone', language: 'en', referrer: 'news.example', variant: 2 },
}

/** What a whole line says. */
function readClick(line: string): ClickLine | null {
  const start = readClickStart(line)
  const said = start === null ? null : readClickTail(start.tail)
  if (start === null || said === null) return null
  const { tail: _, ...own } = start
  const { hasVariant: __, ...rest } = said
  return { ...own, ...rest }
}

test('a click is read as it was written, with what is not said', () => {
  for (const click of [
    CLICK,
    { ...CLICK, language: null, referrer: null, variant: null },
    { ...CLICK, visit: 'head', device: 'other' },
  ] as const)
    assert.deepEqual(readClick(writeClick(click)), click)
  assert.equal(readClick(writeClick({ ...CLICK, referrer: 'a\\N.example' }))?.referrer, null, 'nothing begins an escape')
})

test('a line of an earlier version says nothing of splits, and is stored with that', () => {
  const line = writeClick(CLICK).replace(/\t2$/, '')
  const start = readClickStart(line)
  assert.equal(readClickTail(start?.tail ?? '')?.hasVariant, false)
  assert.deepEqual(readClick(withoutVariant(line)), { ...CLICK, variant: null })
})

test('half a line, a line of another kind and one that holds a control are no clicks', () => {
  const line = writeClick(CLICK)
  for (let end = 0; end < line.length - 2; end++) assert.equal(readClick(line.slice(0, end))?.variant ?? null, null, `cut at ${end}`)
  for (const other of [
    line.replace('person', 'rush'),
    line.replace(ID, ID.toUpperCase()),
    line.replace('T07', ' 07'),
    line.replace('news', 'ne\u0085ws'),
    `${line}\tmore`,
    line.replaceAll('\t', ' '),
    `missed\t${line}`,
  ])
    assert.equal(readClick(other), null, JSON.stringify(other))
})

test('a known id is not looked at again, and all else of its line is', () => {
  const line = writeClick(CLICK).replace(ID, 'x'.repeat(36))
  assert.equal(readClickStart(line), null)
  assert.equal(readClickStart(line, () => true)?.shortLinkId, 'x'.repeat(36))
  assert.equal(
    readClickStart(line.replace('00ff', 'zzff'), () => true),
    null,
  )
})

test('every source has its value of a click, and says nothing as ""', () => {
  const of = (click: ClickLine): string[] => SOURCES.map((source) => SOURCE_OF[source](click))
  assert.deepEqual(of(CLICK), ['news.example', 'phone', 'en'])
  assert.deepEqual(of({ ...CLICK, referrer: null, language: null }), ['', 'phone', ''])
})

test('what was missed and what was seen are read as they were written; neither is the other, or a click', () => {
  const missed: MissedLine = {
    at: AT,
    siteId: ID,
    host: 'a.example',
    path: '/gone here',
    visit: 'bot',
    referrer: '',
    visitor: '0123456789abcdef',
  }
  const seen: SeenLine = {
    ...{ at: AT, siteId: ID, host: 'a.example', kind: 'link', path: '/a', address: 'https://b.example/?x=1' },
    ...{ nth: 3, visit: 'person', visitor: '0123456789abcdef' },
  }
  assert.deepEqual(readMissed(writeMissed(missed)), missed)
  assert.deepEqual(readSeen(writeSeen(seen)), seen)
  assert.deepEqual(readMissed(writeMissed(missed).replace(/\t[0-9a-f]{16}$/, '')), { ...missed, visitor: '' }, 'of an earlier version')
  for (const line of [writeMissed(missed), writeSeen(seen)]) assert.equal(readClickStart(line), null)
  assert.equal(readSeen(writeMissed(missed)), null)
  assert.equal(readMissed(writeMissed({ ...missed, path: '/\0' })), null)
})
