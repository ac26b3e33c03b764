// npm run serve: the same for real use: no demo and no stand-ins; whoever comes with the address it prints sets the site up.
import { existsSync, readFileSync, rmSync } from 'node:fs'
import path from 'node:path'
import { runCopy } from './run-copy.mjs'

await runCopy({
  isDemo: false,
  greet: ({ port, dataFolder }) => {
    const file = path.join(dataFolder, 'set-up-address')
    const address = existsSync(file) ? readFileSync(file, 'utf8').trim() : null
    rmSync(file, { force: true })
    const first =
      address === null
        ? ''
        : `
  Nobody owns it yet. Set it up here; this address works once:
  ${address}
`
    return `
Map Rope is ready: http://localhost:${port}
${first}
  All it keeps is in ${dataFolder}
  Ctrl+C stops everything.
`
  },
})
