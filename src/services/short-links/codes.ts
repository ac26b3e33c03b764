import qrcode from 'qrcode'
import { type ApartFault, apart } from '../../apart/index.ts'
import type { CodeQuery } from '../../contract/short-link-codes.ts'
import { escapeAnywhere } from '../../core/markup/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import { tell } from '../../words/index.ts'
import type { Actor } from '../context.ts'
import type { shortLinksService } from './short-links.ts'

/** Cameras tell dark from light where one is so many times as bright as the other (WCAG contrast; ISO/IEC 18004 asks for symbol contrast). */
const CONTRAST_LEAST = 4
/** Of fewer pixels to a module decoders make nothing sure. */
const MODULE_LEAST_PIXELS = 3
/** The largest takes a second or two. */
const PICTURE_MAX_MS = 20_000

/** Short links as QR codes (ISO/IEC 18004), by the `qrcode` library. */
export function shortLinkCodesService(shortLinks: ReturnType<typeof shortLinksService>) {
  return {
    /** @returns SVG as text, or the bytes of a PNG */
    async get(
      actor: Actor,
      id: string,
      { as, size, quiet, correction, dark, light, title }: CodeQuery,
    ): Promise<
      Result<{ slug: string; type: string; bytes: Uint8Array }, ApartFault | 'forbidden' | 'not-found' | 'qr-contrast' | 'qr-too-small'>
    > {
      const link = await shortLinks.get(actor, id)
      if (!link.ok) return link
      const color = { dark: hex(dark), light: hex(light) }
      if (brightness(color.light) < brightness(color.dark) || contrast(color.dark, color.light) < CONTRAST_LEAST) return fail('qr-contrast')
      const { address, slug, title: called } = link.value
      const code = qrcode.create(address, { errorCorrectionLevel: correction })
      const modules = code.modules.size + 2 * quiet
      const leastPixels = modules * MODULE_LEAST_PIXELS
      if (as === 'png' && size < leastPixels) return fail('qr-too-small', { why: tell('code.at-least', { pixels: leastPixels }) })
      const options = { errorCorrectionLevel: correction, margin: quiet, width: size, color }
      if (as === 'png') {
        const picture = await apart('qrPicture', { text: address, options }, { deadlineMs: PICTURE_MAX_MS })
        return picture.ok ? ok({ slug, type: 'image/png', bytes: picture.value }) : picture
      }
      const svg = await qrcode.toString(address, { ...options, type: 'svg' })
      const words = escaped(title ?? (called === '' ? address : `${called}: ${address}`))
      const told = svg.replace(/<svg\b/, '<svg role="img"').replace('>', `><title>${words}</title>`)
      return ok({ slug, type: 'image/svg+xml', bytes: new TextEncoder().encode(told) })
    },
  }
}

const hex = (colour: string): string => `#${colour.replace('#', '').toLowerCase()}`

const escaped = (text: string): string => escapeAnywhere(text.replace(/[\0-\x08\x0b\x0c\x0e-\x1f]/g, '')) // no sign of XML, however it is written (XML 1.0 §2.2)

/** Relative luminance (WCAG 2.2). @param colour - "#rrggbb" */
function brightness(colour: string): number {
  const [r = 0, g = 0, b = 0] = [1, 3, 5].map((at) => {
    const part = Number.parseInt(colour.slice(at, at + 2), 16) / 255
    return part <= 0.040_45 ? part / 12.92 : ((part + 0.055) / 1.055) ** 2.4
  })
  return 0.2126 * r + 0.7152 * g + 0.0722 * b
}

const contrast = (a: string, b: string): number => {
  const [dark, light] = [brightness(a), brightness(b)].sort((x, y) => x - y) as [number, number]
  return (light + 0.05) / (dark + 0.05)
}
