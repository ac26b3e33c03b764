// Bundles the process entries with esbuild; npm packages stay outside and are loaded from node_modules.
import { build } from 'esbuild'

await build({
  entryPoints: {
    server: 'src/server.ts',
    setup: 'src/setup.ts',
    'click-loader': 'src/click-loader.ts',
    'stand-ins': 'stand-ins/server.ts',
  },
  outdir: 'dist',
  outExtension: { '.js': '.mjs' },
  bundle: true,
  platform: 'node',
  format: 'esm',
  target: 'node20',
  packages: 'external',
  sourcemap: true,
  logLevel: 'warning',
})
