import assert from 'node:assert/strict'
import { test } from 'node:test'
import { readableAddress } from '../../../src/core/address/index.ts'

for (const [address, shown] of [
  ['/caf%C3%A9.html', '/café.html'],
  ['/%E5%B3%B6/%e6%b8%af?q=%C3%A9', '/島/港?q=é'],
  ['/a%2Fb%3Fc%20d', '/a%2Fb%3Fc%20d'],
  ['/%E2%80%AEcod', '/%E2%80%AEcod'],
  ['/%F0%9F%90%9F%C3%A9', '/%F0%9F%90%9Fé'],
  ['/%ff%C3', '/%ff%C3'],
  ['/100%', '/100%'],
] as const)
  test(`${address} is shown as ${shown}`, () => assert.equal(readableAddress(address), shown))
