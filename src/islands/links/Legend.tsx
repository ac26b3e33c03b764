import { Rope } from '../../ui/Rope.tsx'

/** How a rope is read. */
export function Legend() {
  return (
    <footer className="flex flex-wrap items-center gap-x-6 gap-y-1 border-t bg-sheet px-5 py-1.5 text-[13.5px] text-ink-soft max-md:hidden">
      <b className="font-semibold text-ink">Reading a rope</b>
      {(
        [
          ['vouched', [], { opens: 'same tab', lands: true }, 'vouched, same tab'],
          ['nofollow', [], { opens: 'new tab', lands: true }, 'nofollow, new tab'],
          ['sponsored', ['short link'], { opens: 'new tab', lands: true }, 'paid, by short link'],
          ['vouched', [], { opens: 'same tab', lands: false }, 'does not land'],
        ] as const
      ).map(([strand, knots, end, words]) => (
        <span key={words} className="flex items-center gap-2.5">
          <span aria-hidden="true">
            <Rope strand={strand} knots={knots.map((kind) => ({ kind, address: '' }))} end={end} width={80} />
          </span>
          {words}
        </span>
      ))}
    </footer>
  )
}
