import type { Strand } from '../core/rules/index.ts'

export interface Knot {
  readonly kind: 'short link' | 'hop' | 'partner'
  readonly address: string
}

/** Where a rope ends, and whether anybody has looked: `null` is not checked yet. */
export interface RopeEnd {
  readonly opens: 'new tab' | 'same tab' | 'file'
  readonly lands: boolean | null
}

const STRAND_WORDS: Readonly<Record<Strand, string>> = {
  vouched: 'vouched for',
  nofollow: 'not vouched for',
  sponsored: 'paid',
  ugc: 'a visitor’s',
}
const END_WORDS = { 'new tab': 'opens a new tab', 'same tab': 'same tab', file: 'a file' } as const

/** The rope in words; drawn and written always go together. */
export function ropeWords(strand: Strand, knots: readonly Knot[], end: RopeEnd): string {
  const by = knots.length === 0 ? '' : `, by ${knots.map(({ kind, address }) => `${kind} ${address}`).join(', then ')}`
  const landing = end.lands === null ? '' : end.lands ? ', lands' : ', does not land'
  return `${STRAND_WORDS[strand]}${by}, ${END_WORDS[end.opens]}${landing}`
}

/** A link drawn from where it hangs to where it lands (PRODUCT 4). */
export function Rope({ strand, knots = [], end, width = 220 }: { strand: Strand; knots?: readonly Knot[]; end: RopeEnd; width?: number }) {
  const last = width - 12
  const isBroken = end.lands === false
  const step = (last - 4) / (knots.length + 1)
  return (
    <svg
      role="img"
      aria-label={ropeWords(strand, knots, end)}
      width={width}
      height={22}
      viewBox={`0 0 ${width} 22`}
      className="block max-w-full shrink-0"
    >
      <title>{ropeWords(strand, knots, end)}</title>
      <circle cx={4} cy={11} r={3} fill="var(--ink)" />
      <StrandLine strand={strand} from={4} to={last - (isBroken ? 8 : 4)} isBroken={isBroken} />
      {knots.map((knot, i) => (
        <KnotMark key={`${knot.kind} ${knot.address}`} knot={knot} x={4 + step * (i + 1)} />
      ))}
      <EndMark x={last} end={end} />
    </svg>
  )
}

function StrandLine({ strand, from, to, isBroken }: { strand: Strand; from: number; to: number; isBroken: boolean }) {
  const color = isBroken ? 'var(--red)' : strand === 'vouched' ? 'var(--sea)' : strand === 'ugc' ? 'var(--visitor)' : 'var(--rope-text)'
  if (strand === 'sponsored') {
    return (
      <g stroke={color} strokeWidth={1.7}>
        <line x1={from} x2={to} y1={8.8} y2={8.8} />
        <line x1={from} x2={to} y1={13.2} y2={13.2} />
      </g>
    )
  }
  const dash = strand === 'nofollow' ? '8 4' : strand === 'ugc' ? '1.5 4.5' : undefined
  return (
    <line
      x1={from}
      x2={to}
      y1={11}
      y2={11}
      stroke={color}
      strokeWidth={strand === 'ugc' ? 3 : 2.6}
      strokeDasharray={dash}
      strokeLinecap={strand === 'ugc' ? 'round' : 'butt'}
    />
  )
}

function KnotMark({ knot: { kind, address }, x }: { knot: Knot; x: number }) {
  return (
    <g>
      <title>{`${kind}: ${address}`}</title>
      {kind === 'short link' && (
        <rect
          x={x - 5}
          y={6}
          width={10}
          height={10}
          transform={`rotate(45 ${x} 11)`}
          fill="var(--sheet)"
          stroke="var(--ink)"
          strokeWidth={2}
        />
      )}
      {kind === 'hop' && <rect x={x - 4.5} y={6.5} width={9} height={9} fill="var(--ink)" />}
      {kind === 'partner' && (
        <path d={`M${x} 5 L${x + 6} 15.5 L${x - 6} 15.5 Z`} fill="var(--rope)" stroke="var(--ink)" strokeWidth={1.6} />
      )}
    </g>
  )
}

function EndMark({ x, end: { opens, lands } }: { x: number; end: RopeEnd }) {
  if (lands === false) {
    return (
      <path
        d={`M${x - 8} 11 q6 -2 11 -8 M${x - 8} 11 q8 0 13 -1 M${x - 8} 11 q6 2 11 7`}
        stroke="var(--red)"
        strokeWidth={2}
        fill="none"
        strokeLinecap="round"
      />
    )
  }
  const color = lands === null ? 'var(--edge)' : 'var(--ink)'
  if (opens === 'file') return <rect x={x - 5} y={6} width={10} height={10} fill="var(--sheet)" stroke={color} strokeWidth={2.2} />
  return <circle cx={x} cy={11} r={5.2} fill={opens === 'new tab' ? 'var(--sheet)' : color} stroke={color} strokeWidth={2.2} />
}

/** The key to the notation, for the foot of a list of ropes. */
export function RopeLegend() {
  const looked = { opens: 'same tab', lands: true } as const
  const samples = [
    ['vouched', 'vouched for, same tab', looked, []],
    ['nofollow', 'nofollow, new tab', { opens: 'new tab', lands: true }, []],
    ['sponsored', 'paid, by short link', { opens: 'new tab', lands: true }, [{ kind: 'short link', address: '' }]],
    ['ugc', 'a visitor’s, not checked yet', { opens: 'same tab', lands: null }, []],
  ] as const
  return (
    <ul className="flex flex-wrap gap-x-6 gap-y-1 text-[13.5px] text-ink-soft" aria-label="Reading a rope">
      {samples.map(([strand, words, end, knots]) => (
        <li key={strand} className="flex items-center gap-2">
          <span aria-hidden="true">
            <Rope strand={strand} end={end} knots={knots} width={70} />
          </span>
          {words}
        </li>
      ))}
    </ul>
  )
}
