// How everything of ours that Node runs is bundled.
import { build } from 'esbuild'

/** @param more - what is bundled, and what differs */
export const bundle = (more) =>
  build({
    outdir: 'dist',
    outExtension: { '.js': '.mjs' },
    bundle: true,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    logLevel: 'warning',
    ...more,
  })

/** The benchmarks are measured as the product is delivered: without what a development loader adds to every function. */
export const bundleBench = () => bundle({ entryPoints: { bench: 'bench/run.ts' }, packages: 'external' })
