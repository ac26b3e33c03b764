import type { RuleList } from '../../contract/rules.ts'
import type { Rule } from '../../core/rules/index.ts'
import { type Edited, isAgreed, Sides } from '../../ui/edited.tsx'
import { Problem } from '../../ui/Form.tsx'
import { type RuleFields, rulesOf } from './draft.ts'
import { sentence } from './RuleHistory.tsx'

/** What was changed of the rules, to be saved or put back; and whose word counts where two changed the same. */
export function SaveRules({
  edited,
  saved,
  nameOf,
  isUnfinished,
  save,
  onPutBack,
}: {
  edited: Edited<RuleFields>
  saved: RuleList
  /** The name of a partner. */
  nameOf: (partner: string) => string
  isUnfinished: boolean
  save: { readonly isPending: boolean; readonly error: Error | null; mutate(): void }
  onPutBack: () => void
}) {
  const rules = rulesOf(edited.value)
  const fieldWords = Object.fromEntries(
    Object.keys(edited.theirs).map((name) => {
      const rule = rules.find(({ id }) => name === `rule ${id}`) ?? saved.rules.find(({ id }) => name === `rule ${id}`)
      return [
        name,
        name === 'order' ? 'The order of the rules' : name === 'partnersArePaid' ? 'Links to partners' : (rule?.name ?? 'A rule'),
      ]
    }),
  )
  const saySide = (name: string, value: unknown): string => {
    if (value === undefined) return 'taken away'
    if (name === 'partnersArePaid') return value === true ? 'paid' : 'not paid'
    const named = (id: string): string => [...rules, ...saved.rules].find((rule) => rule.id === id)?.name ?? '…'
    return Array.isArray(value) ? value.map((id) => named(String(id))).join(' · ') : sentence(value as Rule, nameOf)
  }
  return (
    <div className="sheet grid gap-3 px-4 py-3">
      <Sides edited={edited} words={fieldWords} show={(value, name) => saySide(name, value)} />
      <Problem error={save.error} />
      <p className="note">Rules are live as soon as they are saved: every page is delivered by them, without publishing.</p>
      <div className="flex justify-end gap-2.5">
        <button type="button" className="button button-plain" onClick={onPutBack}>
          Put back
        </button>
        <button
          type="button"
          data-save-rules
          className="button button-main"
          disabled={save.isPending || isUnfinished || !isAgreed(edited)}
          onClick={() => save.mutate()}
        >
          Save rules
        </button>
      </div>
    </div>
  )
}
