/** Where a way ends: a page of ours, somewhere else, nothing, back where it has been, or gone for good. */
export type WayEnd = 'here' | 'elsewhere' | 'nothing' | 'round' | 'gone' | 'unknown'

const END_WORDS: Readonly<Record<WayEnd, string>> = {
  here: 'lands on a page of this site',
  elsewhere: 'leads to another site',
  nothing: 'does not land',
  round: 'goes round in a circle',
  gone: 'ends there, on purpose',
  unknown: 'where it lands is up to the address',
}

/** A redirect drawn from what is asked for, over each status, to where it lands. */
export function Way({ statuses, end, width = 260 }: { statuses: readonly number[]; end: WayEnd; width?: number }) {
  const words = `${statuses.join(', then ')}, ${END_WORDS[end]}`
  const isBroken = end === 'nothing' || end === 'round'
  const color = isBroken || end === 'gone' ? 'var(--red)' : 'var(--sea)'
  const last = width - 8
  const step = (last - 4) / (statuses.length + 1)
  return (
    <svg role="img" aria-label={words} width={width} height={24} viewBox={`0 0 ${width} 24`} className="block max-w-full shrink-0">
      <title>{words}</title>
      <circle cx={4} cy={12} r={3} fill="var(--ink)" />
      <line x1={4} x2={last - (end === 'elsewhere' ? 5 : 3)} y1={12} y2={12} stroke={color} strokeWidth={2.4} />
      {statuses.map((status, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: the same status may come twice on a way, each in its place
        <g key={i} transform={`translate(${4 + step * (i + 1)} 12)`}>
          <rect x={-17} y={-9.5} width={34} height={19} rx={4.5} fill="var(--sheet)" stroke={color} strokeWidth={1.4} />
          <text textAnchor="middle" y={4} fontSize={11.5} fontFamily="var(--font-mono)" fill="var(--ink)">
            {status}
          </text>
        </g>
      ))}
      <End x={last} end={end} color={color} />
    </svg>
  )
}

function End({ x, end, color }: { x: number; end: WayEnd; color: string }) {
  if (end === 'here') return <circle cx={x} cy={12} r={4.6} fill="var(--ink)" />
  if (end === 'elsewhere') return <circle cx={x} cy={12} r={4.2} fill="var(--sheet)" stroke="var(--ink)" strokeWidth={2} />
  if (end === 'round') return <path d={`M${x - 9} 12h5a4 4 0 1 0-4-4`} fill="none" stroke={color} strokeWidth={2.2} strokeLinecap="round" />
  if (end === 'gone') return <path d={`M${x - 1} 6.5v11`} stroke={color} strokeWidth={2.6} strokeLinecap="round" />
  if (end === 'unknown') return <circle cx={x} cy={12} r={4.2} fill="var(--sheet)" stroke="var(--edge)" strokeWidth={2} />
  return <path d={`M${x - 7} 12l7-5M${x - 7} 12l8 0M${x - 7} 12l7 5`} fill="none" stroke={color} strokeWidth={1.8} strokeLinecap="round" />
}
