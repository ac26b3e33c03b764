// Where Map Rope's own database cluster lies: in the data folder, wherever the user who runs it can get there.
import { execFileSync, spawnSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import {
  chmodSync,
  existsSync,
  lstatSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  realpathSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs'
import path from 'node:path'

const isRoot = process.getuid?.() === 0

/** Clusters of data folders below a home that nobody but root may enter. */
const ELSEWHERE = '/var/lib/map-rope'
/** In such a cluster's folder: the data folder that it belongs to. */
const BELONGS_TO = 'belongs-to'

/**
 * The cluster's folder, made where it is not there. As root it belongs to the user postgres, whose group may pass through the data
 * folder, and nobody else; below a folder that postgres may not enter it lies elsewhere, and a link leads there.
 * @returns {{ folder: string, isElsewhere: boolean }} as a real path
 */
export function clusterPlace(dataFolder) {
  mkdirSync(dataFolder, { recursive: true, mode: 0o700 })
  const near = path.join(realpathSync(dataFolder), 'pg')
  const linked = linkEnd(near)
  if (!isRoot) {
    if (linked !== null) throw new Error(notHere(dataFolder, linked))
    mkdirSync(near, { recursive: true, mode: 0o700 })
    own(near)
    return { folder: near, isElsewhere: false }
  }
  letThrough(dataFolder)
  const isReachable = spawnSync('runuser', ['-u', 'postgres', '--', 'test', '-x', path.dirname(near)]).status === 0
  if (linked !== null && belongsTo(linked) !== null && belongsTo(linked) !== near && existsSync(belongsTo(linked)))
    throw new Error(notHere(dataFolder, linked))
  if (isReachable) {
    if (linked !== null) bringHome(linked, near)
    makeFor('postgres', near)
    own(near, 'postgres')
    return { folder: near, isElsewhere: false }
  }
  const far = linked ?? path.join(ELSEWHERE, createHash('sha256').update(near).digest('hex').slice(0, 16))
  if (linked === null && lstatOrNull(near)?.isDirectory()) bringHome(near, far) // it came in with a copy of the folder
  mkdirSync(ELSEWHERE, { recursive: true })
  chmodSync(ELSEWHERE, 0o755)
  makeFor('postgres', far)
  own(far, 'postgres')
  writeFileSync(path.join(far, BELONGS_TO), near)
  if (linkEnd(near) === null) {
    rmSync(near, { force: true })
    execFileSync('ln', ['-s', far, near])
  }
  return { folder: far, isElsewhere: true }
}

const lstatOrNull = (file) => lstatSync(file, { throwIfNoEntry: false }) ?? null
/** Where a link leads to that is there; null for what is none. */
const linkEnd = (file) => (lstatOrNull(file)?.isSymbolicLink() && existsSync(file) ? realpathSync(file) : null)
const belongsTo = (folder) => {
  const file = path.join(folder, BELONGS_TO)
  return existsSync(file) ? readFileSync(file, 'utf8').trim() : null
}

const notHere = (dataFolder, cluster) =>
  `The folder ${dataFolder} is a copy without its database, which lies in ${cluster} and belongs to ${belongsTo(cluster) ?? 'another folder'}.
Copy that folder too, in place of the link ${path.join(dataFolder, 'pg')}, while Map Rope is stopped.`

/** Lets the group of the user postgres pass through the data folder, and nobody else. */
function letThrough(dataFolder) {
  execFileSync('chgrp', ['postgres', dataFolder])
  chmodSync(dataFolder, 0o710)
}

const makeFor = (user, folder) => {
  if (!existsSync(folder)) execFileSync('install', ['-d', '-o', user, '-g', user, '-m', '700', folder])
}

/** A cluster that lay elsewhere, or came with a copy, is moved; nobody may be at it. */
function bringHome(from, to) {
  if (isAt(from)) throw new Error(`The database in ${from} is running; stop it before it is moved to ${to}.`)
  rmSync(to, { force: true })
  mkdirSync(path.dirname(to), { recursive: true })
  execFileSync('mv', [from, to])
  rmSync(path.join(to, BELONGS_TO), { force: true })
}
/** Whether a database runs in a cluster's folder. */
function isAt(folder) {
  const file = path.join(folder, 'data', 'postmaster.pid')
  if (!existsSync(file)) return false
  const [pid] = readFileSync(file, 'utf8').split('\n')
  try {
    return statSync(`/proc/${Number(pid)}/cwd`).ino === statSync(path.join(folder, 'data')).ino
  } catch {
    return false
  }
}

/** A copy belongs to whoever copied it, and may be readable by others: PostgreSQL asks that it is its own user's alone. */
function own(folder, user) {
  const data = path.join(folder, 'data')
  if (user !== undefined) {
    const uid = Number(execFileSync('id', ['-u', user], { encoding: 'utf8' }))
    const isTheirs = statSync(folder).uid === uid && (!existsSync(data) || statSync(data).uid === uid)
    if (!isTheirs) execFileSync('chown', ['-R', `${user}:${user}`, folder])
  } else if (statSync(folder).uid !== process.getuid())
    throw new Error(`${folder} belongs to another user. Have it given to this one, as with: chown -R "$(id -un)" ${path.dirname(folder)}`)
  chmodSync(folder, 0o700)
  if (existsSync(data)) chmodSync(data, 0o700)
}

/** Clusters that lie elsewhere: of which data folder, and whether that is gone. Of older ones it is not known. */
export function clustersElsewhere(root = ELSEWHERE) {
  if (!existsSync(root)) return []
  return readdirSync(root, { withFileTypes: true })
    .filter((entry) => entry.isDirectory())
    .map(({ name }) => {
      const folder = path.join(root, name)
      const near = belongsTo(folder)
      const isOrphan = near !== null && linkEnd(near) !== realpathSync(folder)
      return { folder, of: near === null ? null : path.dirname(near), isOrphan, isRunning: isAt(folder) }
    })
}
