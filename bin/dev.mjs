// npm run dev: the whole application with its demo. Screens and endpoints reload as they are edited (Astro's own server
// renders them); a change below them rebuilds and restarts the server. Same port as npm start.
import { spawn } from 'node:child_process'
import { watch } from 'node:fs'
import path from 'node:path'
import { launch } from './launch.mjs'
import { freePort } from './postgres.mjs'
import { needDebian, needNpm, projectFolder, run } from './prepare.mjs'

needDebian('postgresql')
needNpm()
const port = Number(process.env.PORT ?? 4300)
const dataFolder = path.resolve(process.env.MAPROPE_DATA ?? '.data')
const astroPort = await freePort()
const build = () => run(process.execPath, ['bin/build-server.mjs'])
build()
const copy = await launch({
  port,
  dataFolder,
  environment: { MAPROPE_ASTRO_DEV: `http://127.0.0.1:${astroPort}`, MAPROPE_LOG: process.env.MAPROPE_LOG ?? 'info' },
})
const astro = spawn(process.execPath, ['node_modules/astro/astro.js', 'dev', '--host', '127.0.0.1', '--port', String(astroPort)], {
  cwd: projectFolder,
  stdio: ['ignore', 'inherit', 'inherit'],
  env: { ...copy.settings, NODE_ENV: 'development' },
})
console.log(`\nMap Rope is ready: http://localhost:${port}   (mara@slow-ferry.example, ten-past-seven)\n`)

let waiting
for (const folder of ['src/core', 'src/contract', 'src/data', 'src/services', 'src/delivery', 'src/jobs']) {
  watch(path.join(projectFolder, folder), { recursive: true }, () => {
    clearTimeout(waiting)
    waiting = setTimeout(async () => {
      build()
      await copy.restartServer()
      console.log('server restarted')
    }, 300)
  })
}
const end = async () => {
  astro.kill('SIGTERM')
  await copy.stop()
  process.exit(0)
}
process.on('SIGINT', end)
process.on('SIGTERM', end)
