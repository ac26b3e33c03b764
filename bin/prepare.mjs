// Brings a fresh machine to where Map Rope can run: Debian packages, npm packages, and the build. Does only what is missing.
import { spawnSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { CHROMIUM } from './chromium.mjs'
import { findPostgres } from './postgres.mjs'

export const projectFolder = path.resolve(import.meta.dirname, '..')

const NEEDS = {
  postgresql: { packages: ['postgresql'], isThere: () => findPostgres() !== null },
  chromium: { packages: ['chromium-headless-shell', 'fonts-dejavu-core'], isThere: () => existsSync(CHROMIUM.executablePath) },
  wrk: { packages: ['wrk'], isThere: () => existsSync('/usr/bin/wrk') },
  apache2: { packages: ['apache2-bin'], isThere: () => existsSync('/usr/sbin/apache2') },
  nginx: { packages: ['nginx'], isThere: () => existsSync('/usr/sbin/nginx') },
  'apache2-doc': { packages: ['apache2-doc'], isThere: () => existsSync('/usr/share/doc/apache2-doc/manual') },
  'postgresql-doc-15': { packages: ['postgresql-doc-15'], isThere: () => existsSync('/usr/share/doc/postgresql-doc-15/html') },
}

/** Installs Debian packages that are missing; without the right to do so, says which ones. */
export function needDebian(...names) {
  const packages = names.filter((name) => !NEEDS[name].isThere()).flatMap((name) => NEEDS[name].packages)
  if (packages.length === 0) return
  const sudo = process.getuid?.() === 0 ? [] : ['sudo', '-n']
  const mayInstall = sudo.length === 0 || spawnSync('sudo', ['-n', 'true'], { stdio: 'ignore' }).status === 0
  if (!mayInstall)
    stop(
      `Map Rope needs Debian packages that this user may not install. Please have these installed, then start again:\n\n    apt-get install ${packages.join(' ')}\n`,
    )
  console.log(`Installing Debian packages: ${packages.join(' ')} …`)
  const environment = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' }
  const apt = (...args) =>
    spawnSync([...sudo, 'apt-get'][0], [...sudo, 'apt-get', ...args].slice(1), { stdio: ['ignore', 'ignore', 'inherit'], env: environment })
  apt('-q', 'update')
  if (apt('-qy', 'install', '--no-install-recommends', ...packages).status !== 0)
    stop(`Debian's package tool could not install: ${packages.join(' ')}`)
}

/** npm packages exactly as locked; kept while the lock file is the same. */
export function needNpm() {
  const [major = 0, minor = 0] = process.versions.node.split('.').map(Number)
  if (major < 20 || (major === 20 && minor < 19)) stop(`Map Rope needs Node 20.19 or newer; this is ${process.version}.`)
  const lock = createHash('sha256')
    .update(readFileSync(path.join(projectFolder, 'package-lock.json')))
    .digest('hex')
  const stamp = path.join(projectFolder, 'node_modules', '.map-rope-lock')
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === lock) return
  console.log('Installing npm packages …')
  run('npm', ['ci', '--ignore-scripts', '--no-audit', '--no-fund', '--loglevel=error'])
  writeFileSync(stamp, lock)
}

/** Builds server and screens when a source is newer than the build. */
export function needBuild() {
  const sources = [
    'src',
    'demo',
    'stand-ins',
    'bin/build-server.mjs',
    'bin/bundle.mjs',
    'astro.config.mjs',
    'package-lock.json',
    'tsconfig.json',
  ]
  const hash = createHash('sha256')
  for (const file of sources.flatMap(filesOf).sort()) hash.update(file).update(readFileSync(path.join(projectFolder, file)))
  const wanted = hash.digest('hex')
  const stamp = path.join(projectFolder, 'dist', '.map-rope-build')
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === wanted) return
  console.log('Building …')
  run('npx', ['astro', 'build', '--silent'], { ASTRO_TELEMETRY_DISABLED: '1', NODE_ENV: 'production' })
  run(process.execPath, ['bin/build-server.mjs'])
  writeFileSync(stamp, wanted)
}

function filesOf(name) {
  const full = path.join(projectFolder, name)
  if (!existsSync(full)) return []
  try {
    return readdirSync(full, { recursive: true, withFileTypes: true })
      .filter((entry) => entry.isFile())
      .map((entry) => path.relative(projectFolder, path.join(entry.parentPath, entry.name)))
  } catch {
    return [name]
  }
}

/** Runs a program in the project's folder, showing what it says; a failure ends everything. */
export function run(program, args, environment = {}) {
  const { status } = spawnSync(program, args, {
    cwd: projectFolder,
    stdio: ['ignore', 'inherit', 'inherit'],
    env: { ...process.env, ...environment },
  })
  if (status !== 0) process.exit(status ?? 1)
}

function stop(message) {
  console.error(message)
  process.exit(1)
}
