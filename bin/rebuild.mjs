// npm run rebuild: derives the index of all links anew from the pages, with the same data as npm start.
import { setUp } from './set-up.mjs'

process.exit(await setUp('--rebuild'))
