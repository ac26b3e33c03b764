import assert from 'node:assert/strict'
import { existsSync, readdirSync, readFileSync } from 'node:fs'
import path from 'node:path'
import { test } from 'node:test'

const project = path.resolve(import.meta.dirname, '../..')
const documents = ['README.md', 'CONTRIBUTING.md', 'SECURITY.md', 'CHANGELOG.md']
  .concat(readdirSync(path.join(project, 'docs'), { recursive: true }).map((file) => path.join('docs', String(file))))
  .filter((file) => file.endsWith('.md'))
const textOf = (file: string): string => readFileSync(path.join(project, file), 'utf8')

/** The anchor of a heading, as pages of Markdown are shown. */
const anchorOf = (heading: string): string =>
  heading
    .toLowerCase()
    .replace(/[^\p{L}\p{N}\s-]/gu, '')
    .replaceAll(' ', '-')

test('every link of the documents leads to a file that is there, and to a heading of it', () => {
  const dead: string[] = []
  for (const file of documents)
    for (const [, target = '', anchor] of textOf(file).matchAll(/\]\((?!https?:)([^)#\s]*)(?:#([^)]+))?\)/g)) {
      const to = target === '' ? file : path.join(path.dirname(file), target)
      const isThere = existsSync(path.join(project, to))
      const headings =
        isThere && anchor !== undefined ? [...textOf(to).matchAll(/^#+ (.*)$/gm)].map(([, heading = '']) => anchorOf(heading)) : []
      if (!isThere || (anchor !== undefined && !headings.includes(anchor)))
        dead.push(`${file}: ${target}${anchor === undefined ? '' : `#${anchor}`}`)
    }
  assert.deepEqual(dead, [])
})

test('every file that the documents name is there', () => {
  const all = ['src', 'tests', 'bin', 'bench', 'demo'].flatMap((folder) =>
    readdirSync(path.join(project, folder), { recursive: true }).map((file) => `/${folder}/${file}`),
  )
  const gone: string[] = []
  for (const file of documents)
    for (const [, name = ''] of textOf(file).matchAll(/`([\w][\w./-]*\.(?:ts|tsx|mjs|json))`/g))
      if (!all.some((each) => each.endsWith(`/${name}`)) && !existsSync(path.join(project, name))) gone.push(`${file}: ${name}`)
  assert.deepEqual(gone, [])
  assert.ok(documents.length > 15)
})
