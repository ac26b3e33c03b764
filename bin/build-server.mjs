// Bundles the process entries with esbuild; npm packages stay outside and are loaded from node_modules. The script of the
// frame that shows pages is bundled for the browser, as one file that needs no other.
import { mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import zlib from 'node:zlib'
import { build } from 'esbuild'
import { bundle } from './bundle.mjs'

/** Packages that are loaded from node_modules: with parts in machine code or threads of their own, and what Sequelize can do without. */
const OUTSIDE = [
  ...['lmdb', '@node-rs/argon2', 'piscina', 'pino', 'pg-native'],
  ...['sqlite3', 'mysql2', 'mariadb', 'tedious', 'oracledb', 'snowflake-sdk', 'ibm_db', 'odbc', 'pg-hstore'],
]

await bundle({
  entryPoints: {
    server: 'src/entries/server.ts',
    setup: 'src/entries/setup.ts',
    apart: 'src/entries/apart.ts',
    import: 'src/entries/import.ts',
    services: 'src/entries/services.ts',
    follower: 'src/entries/follower.ts',
    'click-loader': 'src/entries/click-loader.ts',
    checker: 'src/entries/checker.ts',
    'stand-ins': 'stand-ins/server.ts',
  },
  banner: { js: "import { createRequire as requireBy } from 'node:module'; const require = requireBy(import.meta.url);" },
  external: OUTSIDE,
  sourcemap: true,
  sourcesContent: false, // read whenever a thread starts: lines and names are enough
})

const assets = 'dist/client/_astro'
mkdirSync(assets, { recursive: true })
const isFrame = (name) => /^frame\.[\w-]+\.js/.test(name)
for (const name of readdirSync(assets).filter(isFrame)) rmSync(path.join(assets, name))
await build({
  entryPoints: { frame: 'src/islands/editor/frame/index.ts' },
  outdir: assets,
  entryNames: '[name].[hash]',
  bundle: true,
  platform: 'browser',
  format: 'iife',
  target: 'es2022',
  minify: true,
  logLevel: 'warning',
})

// Packed once, here, so that nobody waits for it.
for (const name of readdirSync(assets)) {
  if (!/\.(?:js|css|svg)$/.test(name)) continue
  const file = path.join(assets, name)
  const bytes = readFileSync(file)
  writeFileSync(`${file}.gz`, zlib.gzipSync(bytes, { level: 9 }))
  writeFileSync(`${file}.br`, zlib.brotliCompressSync(bytes))
}
