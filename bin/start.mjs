// npm start: installs what is missing, builds if needed, and runs Map Rope with its demo until Ctrl+C.
import path from 'node:path'
import { runCopy } from './run-copy.mjs'

await runCopy({
  isDemo: true,
  greet: ({ port, dataFolder }) => `
Map Rope is ready: http://localhost:${port}

  Sign in as   mara@slow-ferry.example
  Password     ten-past-seven

  The site     http://slow-ferry.localhost:${port}
  API token    ${path.join(dataFolder, 'demo-token')}
  Ctrl+C stops everything.
`,
})
