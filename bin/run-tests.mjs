// Runs the tests of a folder with Node's own runner. Node 20's --test has no globs, so the files are named.
import { spawnSync } from 'node:child_process'
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import path from 'node:path'
import { pathToFileURL } from 'node:url'

const [folder = 'tests/unit', ...rest] = process.argv.slice(2)
const files = readdirSync(folder, { recursive: true })
  .map(String)
  .filter((file) => file.endsWith('.test.ts') && (rest.length === 0 || rest.some((word) => file.includes(word))))
  .map((file) => path.join(folder, file))
  .sort()
if (files.length === 0) {
  console.error(`No tests found in ${folder}`)
  process.exit(1)
}
/** Files that run beside one another, those with servers and databases of their own too. Node's runner leaves one of two processors alone. */
const AT_ONCE = 2
/** A file or lane that takes longer hangs: it has failed, and the others go on. The longest takes a quarter of this. */
const FILE_MAX_MS = folder.includes('browser') ? 1_200_000 : 600_000

/**
 * Files of tests that share a copy of the demo and a browser run one after the other in one process, in the order in which
 * `lanes.json` of their folder names them: starting and warming both takes as long as many a file. All others run alone.
 * @returns the files to run, those of a lane as one that imports them
 */
function inLanes(these, place) {
  const list = path.join(folder, 'lanes.json')
  const lanes = (existsSync(list) ? JSON.parse(readFileSync(list, 'utf8')) : [])
    .map((lane) => lane.map((name) => path.join(folder, `${name}.test.ts`)).filter((file) => these.includes(file)))
    .filter((lane) => lane.length > 0)
  const made = lanes.map((lane, i) => {
    const file = path.join(place, `lane-${i + 1}.test.mjs`)
    writeFileSync(file, lane.map((each) => `import '${pathToFileURL(each)}'\n`).join(''))
    return file
  })
  return [...made, ...these.filter((file) => !lanes.flat().includes(file))]
}

const place = mkdtempSync(path.join(tmpdir(), 'map-rope-tests-'))
const { status } = spawnSync(
  process.execPath,
  [
    '--import',
    'tsx',
    '--test',
    `--test-timeout=${FILE_MAX_MS}`,
    `--test-concurrency=${AT_ONCE}`,
    '--test-reporter=tap',
    ...inLanes(files, place),
  ],
  { stdio: 'inherit' },
)
rmSync(place, { recursive: true })
process.exit(status ?? 1)
