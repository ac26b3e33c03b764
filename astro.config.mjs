import node from '@astrojs/node'
import react from '@astrojs/react'
import tailwindcss from '@tailwindcss/vite'
import { defineConfig, passthroughImageService } from 'astro/config'

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
  vite: { plugins: [tailwindcss()] },
})
