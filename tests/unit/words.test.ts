import assert from 'node:assert/strict'
import { readdirSync, readFileSync } from 'node:fs'
import path from 'node:path'
import { test } from 'node:test'
import ts from 'typescript'
import { ENGLISH } from '../../src/words/english/index.ts'
import { inWords, isTold, saysSame, tell } from '../../src/words/index.ts'

const src = path.resolve(import.meta.dirname, '../../src')

test('what is to be said is put into words wherever it stands, with what it is about; all else stays the value that it is', () => {
  const plain = { rows: [{ line: 1, at: new Date(0), bytes: new Uint8Array(3) }], none: null }
  assert.equal(inWords(plain), plain)
  const report = {
    ...plain,
    refused: [
      { line: 2, reason: tell('config.no-such-flag', { flag: 'PT' }) },
      { line: 3, reason: 'as an older version said it' },
    ],
  }
  assert.deepEqual(inWords(report), {
    ...plain,
    refused: [
      { line: 2, reason: 'Its flag “PT” has no counterpart here.' },
      { line: 3, reason: 'as an older version said it' },
    ],
  })
  const nested = tell('job.ended', { why: tell('job.broke-off-twice'), left: [tell('job.nothing-changed'), 'Said before.'] })
  assert.equal(inWords(nested), 'It broke off twice, so it is not tried again. Nothing was changed. Said before.')
})

test('it comes through a column of the database as it went, and a sentence that this version does not know is said by its name', () => {
  const told = tell('redirect.never-reached', { rows: 1_234, visits: 0, names: ['/a', '/b'], areMore: true })
  const kept: unknown = JSON.parse(JSON.stringify(told))
  assert.ok(isTold(kept) && saysSame(kept, told))
  assert.equal(inWords(kept), '1,234 rows are never reached for it: /a, /b and others.')
  assert.equal(inWords({ tell: 'later.tide-is-out' }), 'tide is out')
  assert.equal(inWords({ tell: 'redirect.never-reached', of: { rows: 1 } }), 'never reached', 'nor one that took other facts')
  assert.deepEqual(inWords({ tell: 'a', other: 1 }), { tell: 'a', other: 1 })
})

/** Floors whose code says nothing to people in English: the names of sentences and facts go up from there. */
const BELOW = ['core', 'data', 'jobs', 'services', 'outside', 'apart', 'edge', 'contract', 'delivery', 'studio']

/** Words that are looked for, compared or given out as such, not said: in pages and addresses of many languages, or as names of the API. */
const LISTS = new Set([
  'edge/metrics.ts',
  'core/checks/missing-words.ts',
  'core/content/advice.ts',
  'core/content/limits.ts',
  'core/earnings/dates.ts',
  'core/earnings/money.ts',
  'core/earnings/report.ts',
  'core/exchange/drawing.ts',
  'core/markup/links/edit.ts',
  'core/markup/tags/foreign.ts',
  'core/markup/tags/nesting.ts',
  'core/routing/spelt.ts',
  'core/slugs/suggest.ts',
  'core/writing/nodes.ts',
  'core/writing/read.ts',
])

/** Names of the API that have three words: they are compared, and said otherwise where they are shown. */
const NAMES = new Set([
  'before the text',
  'behind the text',
  'at the end of the page',
  'ended and in use',
  'no report for long',
  'does not land',
  'many paid in a paragraph',
  'many paid on a page',
  'picture without words',
  'paid but unmarked',
  'written for a partner',
  'waits for a look',
  'says where it leads',
  'part of a page',
  'one or many',
  'clicks by tools',
  'calls to stop',
  'byte order mark',
  'timestamp with time zone',
  'map rope partner log-ins',
])

/** What is compared of two addresses has names as well. */
const COMPARED = new Set(readFileSync(path.join(src, 'core/routing/likeness.ts'), 'utf8').match(/(?<=')[a-z ,]+(?=')/g))
const isName = (text: string): boolean => NAMES.has(text) || COMPARED.has(text)

const files = readdirSync(src, { recursive: true })
  .map(String)
  .filter((file) => /\.tsx?$/.test(file) && BELOW.some((floor) => file.startsWith(`${floor}/`)))

/** Three words of letters beside each other, the beginning of a sentence, or marks that only people set. */
const PROSE =
  /(?:^|[\s“("'])[A-Za-zÀ-ÿ’'-]{2,} [A-Za-zÀ-ÿ’'-]{1,} [A-Za-zÀ-ÿ’'-]{2,}(?=[\s.,:;!?)”"']|$)|^[A-Z][a-z]* [a-z]|[A-Za-z]’[a-z]|[“”] [a-z]/
const SQL =
  /-src '|\b(?:ON CONFLICT|SELECT|INSERT|UPDATE|DELETE|FROM|WHERE|ORDER BY|JOIN|TABLE|IS NOT NULL|IS NULL|COPY|SET|VALUES|CONSTRAINT|FOR|AS)\b/

/** Logs, metrics and errors are for those who run and write it; descriptions and summaries are the API’s document. */
function isForPeople(node: ts.Node): boolean {
  for (let each = node; each.parent !== undefined; each = each.parent) {
    const { parent } = each
    if (ts.isThrowStatement(parent) || (ts.isNewExpression(parent) && /Error$/.test(parent.expression.getText()))) return false
    if (ts.isPropertyAssignment(parent) && /^(?:description|summary|title)$/.test(parent.name.getText())) return false
    if (ts.isCallExpression(parent) && parent.expression.kind === ts.SyntaxKind.SuperKeyword) return false
    if (ts.isCallExpression(parent) && /(?:^|\.|#)(?:log|logger)\??\.\w+$/.test(parent.expression.getText())) return false
    if (ts.isLiteralTypeNode(parent) || ts.isImportDeclaration(parent) || ts.isRegularExpressionLiteral(parent)) return false
    if (ts.isFunctionLike(parent)) return true
  }
  return true
}

test('below the screen nothing is said in English', () => {
  const said: string[] = []
  for (const file of files) {
    if (LISTS.has(file) || file.startsWith('data/migrations/')) continue
    const source = ts.createSourceFile(file, readFileSync(path.join(src, file), 'utf8'), ts.ScriptTarget.Latest, true)
    const walk = (node: ts.Node): void => {
      if (ts.isStringLiteralLike(node) || ts.isTemplateHead(node) || ts.isTemplateMiddleOrTemplateTail(node)) {
        if (PROSE.test(node.text) && !SQL.test(node.text) && !isName(node.text.trim()) && isForPeople(node))
          said.push(`${file}: ${node.text.trim().slice(0, 90)}`)
      }
      node.forEachChild(walk)
    }
    walk(source)
  }
  assert.equal(said.join('\n'), '')
  assert.ok(files.length > 300)
})

test('a sentence has one place: no two areas have one of the same name', () => {
  const areas = readdirSync(path.join(src, 'words/english')).filter((file) => file !== 'index.ts')
  const names = areas.flatMap((file) => readFileSync(path.join(src, 'words/english', file), 'utf8').match(/^ {2}'[\w.-]+(?=':)/gm) ?? [])
  assert.equal(names.length, Object.keys(ENGLISH).length)
})

/** What is worked out with a calendar or a language, and not shown. */
const CALENDARS = new Set([
  'contract/sites.ts',
  'core/content/sentence.ts',
  'core/numbers/index.ts',
  'services/short-links/results.ts',
  'ui/places.ts',
  'pages/set-up.astro',
])

test('numbers, lists and days are written through one door', () => {
  const beside = readdirSync(src, { recursive: true })
    .map(String)
    .filter((file) => /\.(?:tsx?|astro)$/.test(file) && !file.startsWith('words/') && !CALENDARS.has(file))
    .filter((file) => /\bIntl\.|\.toLocale\w*String\(/.test(readFileSync(path.join(src, file), 'utf8')))
  assert.deepEqual(beside, [])
})

test('nothing that is still to be said is put into a text, or compared as one', () => {
  const root = path.resolve(src, '..')
  const { config } = ts.readConfigFile(path.join(root, 'tsconfig.json'), ts.sys.readFile)
  const { fileNames, options } = ts.parseJsonConfigFileContent(config, ts.sys, root)
  const program = ts.createProgram({
    rootNames: fileNames.filter((file) => !file.startsWith(`${root}/tests/`) && !file.startsWith(`${root}/bench/`)),
    options,
  })
  const checker = program.getTypeChecker()
  const isUnsaid = (type: ts.Type): boolean =>
    type.isUnion() ? type.types.some(isUnsaid) : type.getProperty('tell') !== undefined && type.getProperties().length <= 2
  const unsaid = (node: ts.Node): boolean => isUnsaid(checker.getTypeAtLocation(node))
  const areUnsaid = (node: ts.Node): boolean => {
    const type = checker.getTypeAtLocation(node)
    return checker.isArrayType(type) && isUnsaid(checker.getTypeArguments(type as ts.TypeReference)[0] ?? type)
  }
  /** Rows of a table with something in a cell that is still to be said: their type is known where the table is written. */
  const haveUnsaid = (node: ts.Node): boolean => {
    const type = checker.getTypeAtLocation(node)
    const row = checker.isArrayType(type) ? (checker.getTypeArguments(type as ts.TypeReference)[0] ?? type) : type
    return row.getProperties().some((cell) => isUnsaid(checker.getTypeOfSymbolAtLocation(cell, node)))
  }
  const isMade = (node: ts.Node): boolean =>
    (ts.isTemplateSpan(node) && unsaid(node.expression)) ||
    (ts.isBinaryExpression(node) && node.operatorToken.kind === ts.SyntaxKind.PlusToken && (unsaid(node.left) || unsaid(node.right))) ||
    (ts.isCallExpression(node) &&
      ((node.expression.getText() === 'String' && node.arguments.some(unsaid)) ||
        (node.expression.getText() === 'stringify' && node.arguments.slice(0, 1).some(haveUnsaid)) ||
        (ts.isPropertyAccessExpression(node.expression) && node.expression.name.text === 'join' && areUnsaid(node.expression.expression))))
  const found: string[] = []
  let looked = 0
  for (const source of program.getSourceFiles()) {
    if (source.isDeclarationFile || !source.fileName.startsWith(`${root}/`) || source.fileName.includes('node_modules')) continue
    looked++
    const walk = (node: ts.Node): void => {
      if (isMade(node)) found.push(`${path.relative(root, source.fileName)}: ${node.getText().slice(0, 80)}`)
      node.forEachChild(walk)
    }
    walk(source)
  }
  assert.deepEqual(found, [])
  assert.ok(looked > 500)
})
