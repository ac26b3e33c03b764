import { siteZip, timed } from './_diag_site.ts'
import { bringIn, onCopy } from './weather.ts'
import { writeFileSync, existsSync } from 'node:fs'
const { zip } = siteZip()
await onCopy(async (copy) => {
  writeFileSync('/tmp/copy.json', JSON.stringify({ port: copy.port, token: copy.token }))
  console.log(await bringIn(copy, 'site.zip', zip, false))
  for (let i = 0; i < 8; i++) { const t = await timed(copy, 'GET', '/desk'); console.log('desk', t.whole, t.said); await new Promise((r) => setTimeout(r, 300)) }
  writeFileSync('/tmp/copy.ready', '1')
  while (!existsSync('/tmp/copy.stop')) await new Promise((r) => setTimeout(r, 500))
})
process.exit()
