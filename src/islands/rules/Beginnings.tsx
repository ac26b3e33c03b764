import type { RuleList } from '../../contract/rules.ts'
import { type Rule, STARTING_SETS } from '../../core/rules/index.ts'
import { Refusal, wordsOf } from '../../ui/api.ts'

/** Where to begin on a site without rules. */
export function Beginnings({ onTake }: { onTake: (rules: readonly Rule[]) => void }) {
  return (
    <section aria-label="Where to begin">
      <p className="mb-3 text-ink-soft">
        No rules yet: links to partners go out as paid, all others as they were written. Begin with one of these, look at what it would
        change, and save it, or say the first sentence yourself.
      </p>
      <div className="grid grid-cols-2 gap-3 max-md:grid-cols-1">
        {STARTING_SETS.map((set) => (
          <button
            key={set.name}
            type="button"
            className="sheet grid content-start gap-1 px-4 py-3 text-left hover:bg-sun"
            onClick={() => onTake(set.rules.map((rule) => ({ ...rule, id: crypto.randomUUID() })))}
          >
            <b className="font-display text-[17px] capitalize">{set.name}</b>
            <span className="text-[14px] text-ink-soft">{set.what}</span>
          </button>
        ))}
      </div>
    </section>
  )
}

/** Two people changed the rules: both lists stay, and the second one decides with open eyes. */
export function SaveProblem({ error, onTakeTheirs }: { error: Error; onTakeTheirs: (theirs: RuleList) => void }) {
  const current = error instanceof Refusal && error.fault === 'moved-on' ? (error.facts.current as RuleList | undefined) : undefined
  return (
    <div role="alert" className="text-red">
      <p>{wordsOf(error)}</p>
      {current !== undefined && (
        <button type="button" className="button mt-2" onClick={() => onTakeTheirs(current)}>
          Compare mine with theirs
        </button>
      )}
    </div>
  )
}
