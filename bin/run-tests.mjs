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
const isUnit = folder.includes('unit')
/** A file or lane that takes longer hangs: it has failed, and the others go on. The longest takes a quarter of this. */
const FILE_MAX_MS = folder.includes('browser') ? 1_200_000 : 600_000
/** So few files are looked at once more; where more fail, it was not the weather. */
const MAY_BE_WEATHER = 2

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

/** @returns the exit code, and the files in which a test failed */
function run(these) {
  const place = mkdtempSync(path.join(tmpdir(), 'map-rope-tests-'))
  const report = path.join(place, 'failed')
  const { status } = spawnSync(
    process.execPath,
    [
      '--import',
      'tsx',
      '--test',
      // A test that failed half way may leave a server behind, which must not keep its file from ending.
      '--test-force-exit',
      `--test-timeout=${FILE_MAX_MS}`,
      ...(isUnit ? [] : [`--test-concurrency=${folder.includes('browser') ? 2 : 1}`]),
      ...['--test-reporter=tap', '--test-reporter-destination=stdout'],
      ...['--test-reporter=./bin/failed-files.mjs', `--test-reporter-destination=${report}`],
      ...inLanes(these, place),
    ],
    { stdio: 'inherit' },
  )
  const failed = [...new Set(readFileSync(report, 'utf8').split('\n'))]
    .filter((file) => file !== '')
    .map((file) => path.relative('.', file))
  rmSync(place, { recursive: true })
  // A lane that broke off is told as a file of its own: what came after it was not run, so that nothing in it was weather.
  const isWhole = failed.every((file) => these.includes(file))
  return { status: status ?? 1, failed: isWhole ? failed : [] }
}

const first = run(files)
// Whole copies, browsers and killed processes on a busy machine: a test that stumbled alone is asked once more, and that is told.
if (first.status === 0 || isUnit || first.failed.length === 0 || first.failed.length > MAY_BE_WEATHER) process.exit(first.status)
console.log(`\n— once more: ${first.failed.join(', ')} —`)
const second = run(first.failed)
if (second.status === 0) console.log(`\nPassed only at the second try: ${first.failed.join(', ')}. Look at what failed above.`)
process.exit(second.status)
