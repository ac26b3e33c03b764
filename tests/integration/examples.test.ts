import assert from 'node:assert/strict'
import { readFileSync } from 'node:fs'
import path from 'node:path'
import { after, before, test } from 'node:test'
import { type Copy, startCopy } from './copy.ts'

/** Files that examples send. */
const FILES: Readonly<Record<string, string>> = {
  'list.csv': 'destination,slug\nhttps://tides.example/a,tide-a\n',
  '.htaccess': 'Redirect 301 /old-quay /timetables.html\n',
}

/** A call as it stands in the documents, for `curl`. */
interface Example {
  readonly url: string
  readonly headers: readonly string[]
  readonly body: string | null
}

/** The words of a command, as a shell parts them. */
const wordsOf = (command: string): string[] =>
  [...command.replaceAll('\\\n', ' ').matchAll(/(?:"(?:\$\([^)]*\)|[^"])*"|'[^']*'|[^\s'"])+/g)].map(([word]) =>
    word.replace(/^"(.*)"$/s, '$1').replace(/^'(.*)'$/s, '$1'),
  )

function readExample(command: string): Example {
  const [program, ...words] = wordsOf(command)
  assert.equal(program, 'curl', command)
  const headers: string[] = []
  let [url, body]: [string, string | null] = ['', null]
  for (let i = 0; i < words.length; i++) {
    const word = words[i] ?? ''
    if (word === '-H') headers.push(words[++i] ?? '')
    else if (word === '-d') body = words[++i] ?? ''
    else if (word === '--data-binary') {
      const name = (words[++i] ?? '').replace(/^@/, '')
      assert.ok(name in FILES, `${name} is sent by an example`)
      body = FILES[name] ?? ''
    } else url = word
  }
  return { url, headers, body }
}

const text = readFileSync(path.resolve(import.meta.dirname, '../../docs/api.md'), 'utf8')
const examples = [...text.matchAll(/^```sh\n(.*?)^```$/gms)].flatMap(([, block = '']) =>
  block.split(/\n(?=curl )/).map((each) => each.trim()),
)

let copy: Copy
before(async () => {
  copy = await startCopy()
})
after(() => copy.stop())

test('there are examples', () => assert.ok(examples.length >= 6, `${examples.length}`))

for (const command of examples)
  test(`the example does what it says: ${command.slice(command.lastIndexOf('http')).trim()}`, async () => {
    const { url, headers, body } = readExample(command)
    const given = headers.map((header): [string, string] => {
      const [name = '', value = ''] = header.split(/:\s*/, 2)
      return [name, value.replace('$(cat .data/demo-token)', copy.token)]
    })
    const sent = body?.replaceAll(':4300', `:${copy.port}`) ?? null
    const answer = await fetch(url.replace('http://localhost:4300', copy.url), {
      headers: given,
      ...(sent === null ? {} : { method: 'POST', body: sent }),
    })
    assert.ok(answer.ok, `${answer.status} ${await answer.clone().text()}`)
  })
