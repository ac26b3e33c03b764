import { z } from 'zod'
import { operation } from './operation.ts'

export const siteExports = {
  siteZip: operation({
    method: 'get',
    path: '/exports/site.zip',
    summary: 'The site as static files with the rules applied',
    needs: 'exports:read',
    status: 200,
    query: z.object({ of: z.enum(['draft', 'live']).default('draft') }),
    media: { answer: 'application/zip' },
  }),
} as const
