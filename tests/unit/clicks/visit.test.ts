import assert from 'node:assert/strict'
import { test } from 'node:test'
import { deviceOf, languageOf, referrerHost, visitOf } from '../../../src/core/clicks/index.ts'

const PHONE = 'Mozilla/5.0 (Linux; Android 14; Pixel) AppleWebKit/537.36 Chrome/126.0 Mobile Safari/537.36'
const DESK = 'Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 Chrome/126.0 Safari/537.36'

const visits = [
  ['GET', DESK, undefined, 'person'],
  ['GET', 'Mozilla/5.0 (compatible; FerryBot/2.1; +http://bots.example/bot.html)', undefined, 'bot'],
  ['GET', undefined, undefined, 'bot'],
  ['GET', DESK, 'prefetch;prerender', 'prefetch'],
  ['HEAD', DESK, undefined, 'head'],
] as const
for (const [method, userAgent, purpose, visit] of visits)
  test(`${method} ${userAgent?.slice(-20)} ${purpose} is a ${visit}`, () => assert.equal(visitOf({ method, userAgent, purpose }), visit))

test('tells devices, languages and referrers coarsely', () => {
  assert.deepEqual(
    [deviceOf(PHONE), deviceOf(DESK), deviceOf('Mozilla/5.0 (iPad; CPU OS 17_0)'), deviceOf(undefined)],
    ['phone', 'computer', 'tablet', 'other'],
  )
  assert.deepEqual([languageOf('en-GB,de;q=0.5'), languageOf('*'), languageOf(undefined)], ['en', null, null])
  assert.deepEqual(
    [referrerHost('https://Mail.Example:8443/x?y'), referrerHost('android-app://x'), referrerHost('https://')],
    ['mail.example', null, null],
  )
})
