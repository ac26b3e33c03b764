import { useState } from 'react'
import { CODE_SIZES, CORRECTIONS } from '../../contract/short-link-codes.ts'
import type { ShortLink } from '../../contract/short-links.ts'
import { NumberField } from '../../ui/NumberField.tsx'
import { Select } from '../../ui/Select.tsx'
import { TextField } from '../../ui/TextField.tsx'

const CORRECTION_WORDS = {
  L: 'kept clean, on a screen',
  M: 'printed, as usual',
  Q: 'outdoors, may get dirty',
  H: 'may be torn or covered in part',
} as const

/** A link as a QR code, as it would be printed, and ready to be taken along. */
export function CodePart({ link }: { link: ShortLink }) {
  const [correction, setCorrection] = useState<(typeof CORRECTIONS)[number]>('M')
  const [quiet, setQuiet] = useState(4)
  const [size, setSize] = useState<number>(CODE_SIZES.usual)
  const [dark, setDark] = useState('#16283a')
  const [light, setLight] = useState('#ffffff')
  const [isRefused, setRefused] = useState(false)
  const query = (as: 'svg' | 'png'): string => {
    // With its version, so that the picture of another name is not shown for this one.
    const asked = {
      as,
      size: String(size),
      quiet: String(quiet),
      correction,
      dark: dark.slice(1),
      light: light.slice(1),
      version: String(link.version),
    }
    return `/api/v1/short-links/${link.id}/qr?${new URLSearchParams(asked)}`
  }
  return (
    <div className="grid grid-cols-[150px_minmax(0,1fr)] items-start gap-4 max-md:grid-cols-1">
      <div className="grid justify-items-center gap-2">
        <img
          src={query('svg')}
          alt={`QR code of ${link.address}`}
          width={150}
          height={150}
          className="rounded-md border bg-[#fff]"
          onLoad={() => setRefused(false)}
          onError={() => setRefused(true)}
        />
      </div>
      <div className="grid gap-3">
        <p className="flex flex-wrap gap-2">
          <a className="button" href={query('svg')} download={`${link.slug}.svg`}>
            SVG, for printing
          </a>
          <a className="button" href={query('png')} download={`${link.slug}.png`}>
            PNG
          </a>
        </p>
        {isRefused && (
          <p role="alert" className="text-red">
            With these colours or at this size no camera would read it. The dark colour has to be much darker than the light one.
          </p>
        )}
        <details>
          <summary className="cursor-pointer text-[14px] font-semibold">Size, colours, and what it has to bear</summary>
          <div className="mt-2.5 grid gap-2.5">
            <Select
              label="It will be"
              value={correction}
              options={CORRECTIONS.map((each) => [each, CORRECTION_WORDS[each]])}
              onChange={(value) => setCorrection(CORRECTIONS.find((each) => each === value) ?? 'M')}
            />
            <div className="grid grid-cols-2 gap-2.5">
              <NumberField
                label="Pixels (PNG)"
                unit="pixels"
                least={CODE_SIZES.least}
                most={CODE_SIZES.most}
                value={size}
                onChange={(next) => next !== null && setSize(next)}
              />
              <NumberField label="Quiet zone" most={10} value={quiet} onChange={(next) => next !== null && setQuiet(next)} />
              <TextField label="Dark" type="color" value={dark} onChange={setDark} />
              <TextField label="Light" type="color" value={light} onChange={setLight} />
            </div>
          </div>
        </details>
      </div>
    </div>
  )
}
