import assert from 'node:assert/strict'
import { test } from 'node:test'
import { startingSets } from '../../src/core/rules/index.ts'
import { pageSaying } from '../../src/delivery/say.ts'
import { isSpoken, spokenIn } from '../../src/words/index.ts'

test('visitors are told in the site’s language, and in English where it is none of those', () => {
  assert.match(spokenIn('de-AT').noPage, /keine Seite/)
  assert.equal(spokenIn('xx').newTab, spokenIn('en').newTab)
  assert.deepEqual([isSpoken('FR'), isSpoken('xx'), isSpoken(undefined)], [true, false, true])
  const languages = ['en', 'de', 'fr', 'es', 'it', 'nl']
  for (const key of Object.keys(spokenIn('en')) as (keyof ReturnType<typeof spokenIn>)[])
    assert.equal(new Set(languages.map((language) => spokenIn(language)[key])).size, languages.length, `${key} is said in each`)
})

test('a page of ours says which language it is in, and rules to begin with speak the site’s', () => {
  assert.match(pageSaying(spokenIn('nl').noPage, '', 'nl'), /<html lang="nl">.*Op dit adres/)
  assert.match(pageSaying('x', '', 'xx'), /<html lang="en">/)
  const said = startingSets('fr').flatMap(({ rules }) => rules.flatMap(({ what }) => what.spoken ?? []))
  assert.ok(said.length > 1 && said.every((each) => each === spokenIn('fr').newTab))
})
