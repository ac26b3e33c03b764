// npm start: installs what is missing, builds if needed, and runs Map Rope with its demo until Ctrl+C.
import path from 'node:path'
import { launch } from './launch.mjs'
import { whenOrphaned } from './parent.mjs'
import { needBuild, needDebian, needNpm } from './prepare.mjs'

const port = Number(process.env.PORT ?? 4300)
const dataFolder = path.resolve(process.env.MAPROPE_DATA ?? '.data')
if (process.env.MAPROPE_DATABASE_URL === undefined) needDebian('postgresql')
needNpm()
needBuild()
let isEnding = false
const starting = launch({ port, dataFolder, environment: { MAPROPE_LOG: process.env.MAPROPE_LOG ?? 'warn' } })
/** Ends what was started, also while it is still starting. */
const end = async (code) => {
  if (isEnding) return
  isEnding = true
  await starting.then((copy) => copy.stop()).catch(() => {})
  process.exit(code)
}
process.on('SIGINT', () => void end(0))
process.on('SIGTERM', () => void end(0))
whenOrphaned(() => void end(0))
try {
  await starting
  if (!isEnding)
    console.log(`
Map Rope is ready: http://localhost:${port}

  Sign in as   mara@slow-ferry.example
  Password     ten-past-seven

  The site     http://slow-ferry.localhost:${port}
  API token    ${path.join(dataFolder, 'demo-token')}
  Ctrl+C stops everything.
`)
} catch (error) {
  console.error(error.message)
  process.exit(1)
}
