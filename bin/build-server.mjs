// Bundles the process entries with esbuild; npm packages stay outside and are loaded from node_modules. The script of the
// frame that shows pages is bundled for the browser, as one file that needs no other.
import { build } from 'esbuild'

await build({
  entryPoints: {
    server: 'src/entries/server.ts',
    setup: 'src/entries/setup.ts',
    apart: 'src/entries/apart.ts',
    import: 'src/entries/import.ts',
    services: 'src/entries/services.ts',
    follower: 'src/entries/follower.ts',
    'click-loader': 'src/entries/click-loader.ts',
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

await build({
  entryPoints: { frame: 'src/islands/editor/frame/index.ts' },
  outdir: 'dist',
  bundle: true,
  platform: 'browser',
  format: 'iife',
  target: 'es2022',
  minify: true,
  logLevel: 'warning',
})
