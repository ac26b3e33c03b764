import { useState } from 'react'
import type { RuleList } from '../../contract/rules.ts'
import type { Rule } from '../../core/rules/index.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { Problem } from '../../ui/Form.tsx'
import { useAsk } from '../../ui/query.tsx'
import { Select } from '../../ui/Select.tsx'
import { When } from '../../ui/When.tsx'
import { sayWhat, sayWhich } from './say.ts'

/** A rule as one line, for comparing. */
export const sentence = (rule: Rule, nameOf: (id: string) => string): string =>
  `${rule.name}: ${sayWhich(rule, nameOf)} ${sayWhat(rule)}.${rule.isBinding ? ' Binding.' : ''}${rule.isOn ? '' : ' Off.'}`

/** A whole list, what holds below it last. */
const linesOf = ({ rules, partnersArePaid }: RuleList, nameOf: (id: string) => string): string[] => [
  ...rules.map((rule) => sentence(rule, nameOf)),
  `Where nothing else speaks, links to partners are ${partnersArePaid ? 'paid' : 'not paid'}.`,
]

/** Every version of the rules: who changed what when, any two compared, and back in one step. */
export function RuleHistory({
  now,
  nameOf,
  canEdit,
  onRestore,
  onClose,
}: {
  now: { readonly version: number }
  /** Of a partner, by id. */
  nameOf: (id: string) => string
  canEdit: boolean
  onRestore: (list: RuleList) => void
  onClose: () => void
}) {
  const { data, error } = useAsk('rules.history', {})
  const [chosen, setChosen] = useState<number | null>(null)
  // What is in force, whatever is by the time it is looked at, until somebody chooses another.
  const [other, setOther] = useState<number | null>(null)
  const against = other ?? now.version
  const items = data?.items ?? []
  const version = chosen ?? items[1]?.version ?? items[0]?.version ?? null
  const left = useVersion(version)
  const right = useVersion(against)
  const lines = left === undefined || right === undefined ? null : compare(linesOf(left, nameOf), linesOf(right, nameOf))
  return (
    <Dialog title="History of the rules" isOpen onClose={onClose} isWide>
      <Problem error={error} />
      {items.length === 0 && error === null && <p className="note">No rules have been saved yet.</p>}
      <div className="grid grid-cols-[230px_minmax(0,1fr)] gap-5 max-md:grid-cols-1">
        <ol className="grid max-h-[60dvh] content-start gap-0.5 overflow-y-auto" aria-label="Versions">
          {items.map((each) => (
            <li key={each.version}>
              <button
                type="button"
                aria-pressed={each.version === version}
                className="w-full rounded-md px-2.5 py-1.5 text-left leading-snug hover:bg-sun aria-pressed:bg-sun"
                onClick={() => setChosen(each.version)}
              >
                <span className="block font-semibold">
                  Version {each.version}
                  {each.version === now.version && <span className="font-normal text-sea"> · in force</span>}
                </span>
                <span className="note block">
                  {each.by ?? 'somebody'}, <When at={each.at} />
                </span>
              </button>
            </li>
          ))}
        </ol>
        {version !== null && (
          <div className="grid content-start gap-3">
            <div className="flex flex-wrap items-center gap-2.5">
              <span aria-hidden="true">Compared with</span>
              <Select
                label="Compared with"
                isLabelHidden
                className="!w-auto !min-h-9 !py-1"
                value={String(against)}
                options={items.map((each) => [String(each.version), `version ${each.version}`])}
                onChange={(value) => setOther(Number(value))}
              />
              <span className="flex-1" />
              {canEdit && left !== undefined && version !== now.version && (
                <button
                  type="button"
                  className="button button-main"
                  onClick={() => {
                    onRestore(left)
                    onClose()
                  }}
                >
                  Go back to version {version}
                </button>
              )}
            </div>
            {lines?.every(({ kind }) => kind === 'same') === true && <p className="note">They say the same.</p>}
            <ol className="grid gap-1.5">
              {lines?.map(({ kind, words }) => (
                <li key={`${kind} ${words}`} className={kind === 'same' ? 'text-ink-soft' : ''}>
                  {kind === 'gone' ? <del>{words}</del> : kind === 'new' ? <ins>{words}</ins> : words}
                </li>
              ))}
            </ol>
          </div>
        )}
      </div>
    </Dialog>
  )
}

function useVersion(version: number | null): RuleList | undefined {
  return useAsk('rules.version', { query: { version } }, { enabled: version !== null && version > 0, staleTime: Number.POSITIVE_INFINITY })
    .data
}

/** Sentences that are gone, new or in both, in the order of the newer list with the gone ones where they stood. */
function compare(old: readonly string[], young: readonly string[]): readonly { kind: 'same' | 'gone' | 'new'; words: string }[] {
  const lines: { kind: 'same' | 'gone' | 'new'; words: string }[] = []
  let i = 0
  for (const words of young) {
    if (!old.includes(words)) {
      lines.push({ kind: 'new', words })
      continue
    }
    while (i < old.length && old[i] !== words) {
      const gone = old[i++] ?? ''
      if (!young.includes(gone)) lines.push({ kind: 'gone', words: gone })
    }
    i = Math.min(old.length, i + 1)
    lines.push({ kind: 'same', words })
  }
  for (const words of old.slice(i)) if (!young.includes(words)) lines.push({ kind: 'gone', words })
  return lines
}
