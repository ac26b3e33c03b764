// The benchmarks are measured as the product is delivered: bundled, without what a development loader adds to every function.
import { build } from 'esbuild'

export const bundleBench = () =>
  build({
    entryPoints: { bench: 'bench/run.ts' },
    outdir: 'dist',
    outExtension: { '.js': '.mjs' },
    bundle: true,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    packages: 'external',
    logLevel: 'warning',
  })
