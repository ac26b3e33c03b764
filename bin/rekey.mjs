// npm run rekey: seals every partner's log-in with another secret. The old one is given, the new one is what the copy has now.
//   MAPROPE_SECRET_BEFORE='the old secret' MAPROPE_SECRET='the new secret' npm run rekey
import { setUp } from './set-up.mjs'

if (process.env.MAPROPE_SECRET_BEFORE === undefined) {
  console.error('Give the secret that the log-ins were kept with: MAPROPE_SECRET_BEFORE=… npm run rekey')
  process.exit(1)
}
process.exit(await setUp('--rekey'))
