import { useState } from 'react'
import { Either } from '../../ui/Either.tsx'
import { comparePages, compareSources, type Piece } from './compare.ts'

/** Two versions of a text: as readers see them, or as source. What went is struck through, what came is marked. */
export function Comparison({ before, after, names }: { before: string; after: string; names: readonly [string, string] }) {
  const [as, setAs] = useState<'page' | 'source'>('page')
  const blocks = as === 'page' ? comparePages(before, after) : compareSources(before, after)
  return (
    <div className="grid gap-2">
      <div className="flex flex-wrap items-center gap-2 text-[14px]">
        <Either
          label="Compare"
          value={as}
          options={[
            ['page', 'As readers see it'],
            ['source', 'As source'],
          ]}
          onChange={setAs}
        />
        <span className="note">
          <del>{names[0]}</del> · <ins>{names[1]}</ins>
        </span>
      </div>
      {blocks.length === 0 && <p className="note">{as === 'page' ? 'Readers see no difference.' : 'There is no difference.'}</p>}
      <div className={as === 'source' ? 'address grid gap-1 whitespace-pre-wrap' : 'grid gap-2'}>
        {blocks.map((pieces, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: pieces have no name of their own and never move
          <p key={i} className="rounded bg-sheet px-2 py-1 [overflow-wrap:anywhere]">
            {pieces.map((piece, j) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: as above
              <PieceOf key={j} piece={piece} />
            ))}
          </p>
        ))}
      </div>
    </div>
  )
}

function PieceOf({ piece: { text, what } }: { piece: Piece }) {
  if (what === 'went') return <del>{text}</del>
  // Where a link leads is told where it changed; elsewhere it would only be in the way.
  return what === 'came' ? <ins>{text}</ins> : <span>{text.replace(/⟨[^⟩]*⟩ ?/g, '')}</span>
}
