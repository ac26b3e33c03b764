import { type Rule, startingSets } from '../../core/rules/index.ts'
import { inWords } from '../../words/index.ts'

/** Where to begin on a site without rules. */
export function Beginnings({ language, onTake }: { language: string; onTake: (rules: readonly Rule[]) => void }) {
  return (
    <section aria-label="Where to begin">
      <p className="mb-3 text-ink-soft">
        No rules yet: links to partners go out as paid, all others as they were written. Begin with one of these, look at what it would
        change, and save it, or say the first sentence yourself.
      </p>
      <div className="grid grid-cols-2 gap-3 max-md:grid-cols-1">
        {inWords(startingSets(language)).map((set) => (
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
