import { bringingIn, bringingInRedirects } from './bring-in.ts'
import { checks } from './checks.ts'
import { clickLog, linkView, slugLook } from './clicks.ts'
import { editor } from './editor.ts'
import { frontDoor } from './front-door.ts'
import { listLarge, listReal } from './list-large.ts'
import { matchExact, matchPattern } from './match.ts'
import type { Row } from './measure.ts'
import { oneChange, oneRedirect } from './one-change.ts'
import { phrases } from './phrases.ts'
import { largeSite } from './real-site.ts'
import { redirect, replay, review } from './redirect.ts'
import { rewriteStream, rewriteTree } from './rewrite.ts'
import { scanSite } from './scan-site.ts'
import { impact, list } from './screens.ts'
import { shortLink } from './short-link.ts'
import { burst, restart, worstLookUp } from './strangers.ts'
import { suggest } from './suggest.ts'
import { weather } from './weather.ts'

const BENCHMARKS: Readonly<Record<string, () => Promise<Row>>> = {
  'short-link': shortLink,
  'click-log': clickLog,
  'link-view': linkView,
  'slug-look': slugLook,
  redirect,
  phrases,
  'one-change': oneChange,
  'one-redirect': oneRedirect,
  'match-exact': matchExact,
  'match-pattern': matchPattern,
  suggest,
  review,
  replay,
  'rewrite-tree': rewriteTree,
  'rewrite-stream': rewriteStream,
  'scan-site': scanSite,
  impact,
  'front-door': frontDoor,
  editor,
  list,
  'list-large': listLarge,
  'list-real': listReal,
  'large-site': largeSite,
  checks,
  weather,
  'bring-in': bringingIn,
  'bring-in-redirects': bringingInRedirects,
  restart,
  'worst-look-up': worstLookUp,
  burst,
}

const args = process.argv.slice(2)
const isJson = args.includes('--json')
if (args.includes('--names')) {
  console.log(Object.keys(BENCHMARKS).join('\n'))
  process.exit(0)
}
const wanted = args.filter((arg) => !arg.startsWith('--'))
const unknown = wanted.filter((name) => BENCHMARKS[name] === undefined)
if (unknown.length > 0) {
  console.error(`No benchmark is called ${unknown.join(', ')}. There are: ${Object.keys(BENCHMARKS).join(', ')}`)
  process.exit(2)
}
for (const [name, measure] of Object.entries(BENCHMARKS)) {
  if (wanted.length > 0 && !wanted.includes(name)) continue
  const { ours, peer, unit, goal, isAtMost = false, note } = await measure()
  const ratio = ours / peer
  const holds = isAtMost ? ratio <= goal : ratio >= goal
  if (isJson) console.log(JSON.stringify({ name, ours, peer, unit, ratio, goal, holds }))
  else
    console.log(
      `${name.padEnd(16)} ours ${ours.toFixed(1).padStart(9)}   peer ${peer.toFixed(1).padStart(9)} ${unit.padEnd(10)} ratio ${ratio.toFixed(2)} (${isAtMost ? 'at most' : 'at least'} ${goal}) ${holds ? 'holds' : 'DOES NOT HOLD'}${note === undefined ? '' : `; ${note}`}`,
    )
}
