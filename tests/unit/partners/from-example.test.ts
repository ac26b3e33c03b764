import assert from 'node:assert/strict'
import { test } from 'node:test'
import { readTemplate, templatesFromExample } from '../../../src/core/partners/index.ts'

const sites = ['gannet.example', 'beds.example']

for (const [what, example, account, expected] of [
  ['a number on their own page', 'https://gannet.example/boots?p=4471&colour=tar', '4471', [['{url}?p={account}', '4471']]],
  [
    'a number and a page within a network’s link',
    'https://go.tidemark.example/c?a=77&u=https%3A%2F%2Fbeds.example%2Frooms&subid=quay',
    '77',
    [['https://go.tidemark.example/c?a={account}&u={url}&subid={sub}', '77']],
  ],
  [
    'a number in a path',
    'https://go.tidemark.example/c/77?to=https://beds.example/',
    '77',
    [['https://go.tidemark.example/c/{account}?to={url}', '77']],
  ],
  ['one that is not known yet', 'https://shop.gannet.example/?ref=quay-12&utm_source=x1', '', [['{url}?ref={account}', 'quay-12']]],
  [
    'several that it may be',
    'https://gannet.example/?ref=12ab&page=3x',
    '',
    [
      ['{url}?ref={account}', '12ab'],
      ['{url}?page={account}', '3x'],
    ],
  ],
  ['a link without it', 'https://gannet.example/?ref=other', '4471', []],
  ['what is a template already', '{url}?p={account}', '4471', []],
  ['no address', 'gannet', '', []],
] as const)
  test(`where the number stands is read off ${what}`, () => {
    const read = templatesFromExample(example, { account, sites })
    assert.deepEqual(
      read.map((each) => [each.template, each.account]),
      expected,
    )
    for (const { template } of read) assert.ok(readTemplate(template).ok, template)
  })
