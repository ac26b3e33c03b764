/** How a draft stands to the live site, in a word. */
export function StateWord({ state }: { state: 'new' | 'changed' | 'live' | 'removed' }) {
  return (
    <span
      className={`shrink-0 text-sm ${state === 'live' ? 'text-sea' : state === 'removed' ? 'text-red' : 'font-semibold text-rope-text'}`}
    >
      {state}
    </span>
  )
}
