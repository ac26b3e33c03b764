import node from '@astrojs/node'
import react from '@astrojs/react'
import tailwindcss from '@tailwindcss/vite'
import { defineConfig, passthroughImageService } from 'astro/config'
import { build } from 'esbuild'

/** Modules that are nothing but data when they have run, and would bring much along: their result stands in their place. */
const AS_RESULT = ['/src/contract/calls.ts']
const asResult = () => ({
  name: 'as-result',
  async load(id) {
    if (!AS_RESULT.some((file) => id.endsWith(file))) return null
    const { outputFiles } = await build({ entryPoints: [id], bundle: true, write: false, format: 'esm', platform: 'node' })
    const exported = await import(`data:text/javascript;base64,${Buffer.from(outputFiles[0].contents).toString('base64')}`)
    return Object.entries(exported)
      .map(([name, value]) => `export const ${name} = ${JSON.stringify(value)}`)
      .join('\n')
  },
})

export default defineConfig({
  output: 'server',
  adapter: node({ mode: 'middleware' }),
  integrations: [react()],
  devToolbar: { enabled: false },
  image: { service: passthroughImageService() },
  session: { driver: 'memory' },
  // Our own server decides which hosts are the studio's before Astro is asked.
  security: { checkOrigin: false, allowedDomains: [{}] }, // src/middleware.ts checks origins, of JSON too
  experimental: {
    csp: {
      directives: [
        "default-src 'self'",
        "img-src 'self' data:",
        "font-src 'self' data:",
        "object-src 'none'",
        "base-uri 'self'",
        "frame-src 'self'",
        "frame-ancestors 'none'",
        "form-action 'self'",
      ],
      // React 19's script that replays form actions submitted before hydration.
      scriptDirective: { hashes: ['sha256-CwHpiObGc0Kj6qtRFzUVGqk0apwmCrylJaQU+RajuJ0='] },
    },
  },
  vite: { plugins: [tailwindcss(), asResult()], worker: { plugins: () => [asResult()] } },
})
