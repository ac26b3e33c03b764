// What npm start and npm run serve share: one copy, from what is missing to Ctrl+C.
import path from 'node:path'
import { launch } from './launch.mjs'
import { whenOrphaned } from './parent.mjs'
import { needBuild, needDebian, needNpm } from './prepare.mjs'

/** Runs one copy until it is told to stop. @param greet - what the terminal is told once it is ready */
export async function runCopy({ isDemo, greet }) {
  const port = Number(process.env.PORT ?? 4300)
  const dataFolder = path.resolve(process.env.MAPROPE_DATA ?? '.data')
  if (process.env.MAPROPE_DATABASE_URL === undefined) needDebian('postgresql')
  needNpm()
  needBuild()
  let isEnding = false
  const starting = launch({ port, dataFolder, isDemo, environment: { MAPROPE_LOG: process.env.MAPROPE_LOG ?? 'warn' } })
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
    if (!isEnding) console.log(greet({ port, dataFolder }))
  } catch (error) {
    console.error(error.message)
    process.exit(1)
  }
}
