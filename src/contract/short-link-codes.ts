import { z } from 'zod'
import { tell } from '../words/index.ts'
import { operation } from './operation.ts'
import { says } from './shared.ts'

/** Sizes in pixels, the quiet zone included, both inclusive. Smaller ones are read by no camera, larger ones are for SVG. */
export const CODE_SIZES = { least: 80, most: 4_000, usual: 600 } as const
export const CORRECTIONS = ['L', 'M', 'Q', 'H'] as const

const Colour = z.string().regex(/^#?[0-9a-f]{6}$/i, says(tell('field.colour')))

export const CodeQuery = z.object({
  as: z.enum(['svg', 'png']).default('svg'),
  size: z.coerce.number().int().min(CODE_SIZES.least).max(CODE_SIZES.most).default(CODE_SIZES.usual),
  quiet: z.coerce.number().int().min(0).max(10).default(4).meta({ description: 'Of the quiet zone, in modules; ISO/IEC 18004 asks for 4' }),
  correction: z.enum(CORRECTIONS).default('M').meta({ description: 'How much of it may be dirty or torn: 7, 15, 25 or 30 in a hundred' }),
  dark: Colour.default('16283A'),
  light: Colour.default('FFFFFF'),
  title: z.string().max(300).optional().meta({ description: 'Read out in place of the picture; the link’s title when left out' }),
})
export type CodeQuery = z.infer<typeof CodeQuery>

export const shortLinkCodes = {
  get: operation({
    method: 'get',
    path: '/short-links/{id}/qr',
    summary: 'The address of a short link as a QR code',
    needs: 'short-links:read',
    status: 200,
    query: CodeQuery,
    media: { answer: 'image/svg+xml' },
  }),
} as const
