import { useId } from 'react'
import type { Partner } from '../../contract/partners.ts'
import { type Effects, type Hint, REFERRER_POLICIES, type ReferrerPolicy, type Rule } from '../../core/rules/index.ts'
import { Select } from '../../ui/Select.tsx'
import { spokenIn } from '../../words/index.ts'
import { ConditionForm } from './ConditionForm.tsx'

const TOLD: readonly (readonly [string, string, readonly Hint[] | undefined])[] = [
  ['', 'nothing about it', undefined],
  ['vouch', 'we vouch for it', []],
  ['paid', 'it is paid (sponsored nofollow)', ['sponsored', 'nofollow']],
  ['paid-only', 'it is paid (sponsored)', ['sponsored']],
  ['nofollow', 'we do not vouch (nofollow)', ['nofollow']],
  ['ugc', 'a visitor wrote it (ugc nofollow)', ['ugc', 'nofollow']],
  ['ugc-only', 'a visitor wrote it (ugc)', ['ugc']],
]

const REFERRER_WORDS: Readonly<Record<ReferrerPolicy, string>> = {
  'no-referrer': 'nothing (no-referrer)',
  origin: 'this site’s name (origin)',
  'same-origin': 'nothing, and inside the whole address (same-origin)',
  'strict-origin': 'this site’s name, never over http (strict-origin)',
  'strict-origin-when-cross-origin': 'this site’s name, and inside the whole address (strict-origin-when-cross-origin)',
  'no-referrer-when-downgrade': 'the whole address, never over http (no-referrer-when-downgrade)',
  'unsafe-url': 'the whole address, always (unsafe-url)',
}

/** Without the key when there is nothing to say: an empty part would speak. */
function withEffect<K extends keyof Effects>(what: Effects, key: K, value: Effects[K] | undefined): Effects {
  const { [key]: _, ...rest } = what
  return value === undefined ? rest : { ...rest, [key]: value }
}

/** A rule built by choosing words; the sentence above it is made from the same rule. */
export function RuleForm({
  rule,
  partners,
  isReadOnly,
  onChange,
  language,
}: {
  /** Of the site. */
  language: string
  rule: Rule
  partners: readonly Partner[]
  isReadOnly: boolean
  onChange: (rule: Rule) => void
}) {
  const id = useId()
  const { what } = rule
  const told = TOLD.find(([, , hints]) => JSON.stringify(hints) === JSON.stringify(what.hints)) ?? TOLD[0]
  const set = <K extends keyof Effects>(key: K, value: Effects[K] | undefined): void =>
    onChange({ ...rule, what: withEffect(what, key, value) })
  const choose = (
    label: string,
    name: string,
    value: string,
    options: readonly (readonly [string, string, ...unknown[]])[],
    pick: (value: string) => void,
  ) => <Select id={`${id}-${name}`} label={label} value={value} options={options.map(([key, words]) => [key, words])} onChange={pick} />
  const yesNo = (label: string, key: 'noopener' | 'noreferrer' | 'mark', words: readonly [string, string, string]) =>
    choose(
      label,
      key,
      what[key] === undefined ? '' : String(what[key]),
      [
        ['', words[0]],
        ['true', words[1]],
        ['false', words[2]],
      ],
      (value) => set(key, value === '' ? undefined : value === 'true'),
    )
  const saysMore = ['noreferrer', 'noopener', 'referrer', 'mark', 'spoken', 'title'].some((key) => what[key as keyof Effects] !== undefined)
  return (
    <fieldset disabled={isReadOnly} className="grid gap-4 border-t px-4 py-4">
      <legend className="sr-only">The rule’s sentence</legend>
      <p className="sr-only focus-within:not-sr-only">
        {(
          [
            ['Skip to how they open', `#${id}-opens`],
            ['Skip to the name', `#${id}-name`],
          ] as const
        ).map(([words, target]) => (
          <button key={target} type="button" className="button mr-2" onClick={() => document.getElementById(target.slice(1))?.focus()}>
            {words}
          </button>
        ))}
        <button type="button" className="button" onClick={() => document.querySelector<HTMLElement>('[data-save-rules]')?.focus()}>
          Skip to saving
        </button>
      </p>
      <ConditionForm condition={rule.when} partners={partners} onChange={(when) => onChange({ ...rule, when })} />
      <div className="grid grid-cols-2 gap-x-4 gap-y-3 border-t pt-3 max-md:grid-cols-1">
        {choose(
          'open',
          'opens',
          what.opens ?? '',
          [
            ['', 'as they were written'],
            ['new tab', 'in a new tab'],
            ['same tab', 'in the same tab'],
          ],
          (value) => set('opens', value === 'new tab' || value === 'same tab' ? value : undefined),
        )}
        {choose('and search engines are told', 'told', told?.[0] ?? '', TOLD, (value) =>
          set('hints', TOLD.find(([key]) => key === value)?.[2]),
        )}
      </div>
      <details className="text-[14.5px]" open={saysMore}>
        <summary className="w-fit cursor-pointer font-semibold">Say more of them</summary>
        <div className="mt-3 grid grid-cols-2 gap-x-4 gap-y-3 max-md:grid-cols-1">
          {yesNo('An arrow behind the words', 'mark', ['as it was written', 'yes, it leads out', 'no'])}
          <div>
            <label className="field-label" htmlFor={`${id}-spoken`}>
              Said aloud where they open a new tab
            </label>
            <input
              id={`${id}-spoken`}
              className="field"
              value={what.spoken ?? ''}
              maxLength={120}
              placeholder={`nothing, or: ${spokenIn(language).newTab}`}
              onChange={(event) => set('spoken', event.target.value === '' ? undefined : event.target.value)}
            />
          </div>
          <div>
            <label className="field-label" htmlFor={`${id}-title`}>
              Title shown when a pointer rests on them
            </label>
            <input
              id={`${id}-title`}
              className="field"
              value={what.title ?? ''}
              maxLength={300}
              placeholder="as it was written, or: Leads to {site}"
              onChange={(event) => set('title', event.target.value === '' ? undefined : event.target.value)}
            />
          </div>
          {choose(
            'The other site learns where readers came from',
            'referrer',
            what.referrer ?? '',
            [['', 'as it was written'], ...REFERRER_POLICIES.map((policy) => [policy, REFERRER_WORDS[policy]] as const)],
            (value) =>
              set(
                'referrer',
                REFERRER_POLICIES.find((policy) => policy === value),
              ),
          )}
          {yesNo('noreferrer: do not tell it at all', 'noreferrer', ['as it was written', 'yes', 'no'])}
          {yesNo('noopener: the new tab cannot reach back', 'noopener', ['as always with a new tab', 'yes, say it everywhere', 'no'])}
        </div>
      </details>
      <div className="grid grid-cols-2 items-end gap-4 max-md:grid-cols-1">
        <div>
          <label className="field-label" htmlFor={`${id}-name`}>
            Name of the rule
          </label>
          <input
            id={`${id}-name`}
            className="field"
            value={rule.name}
            maxLength={120}
            placeholder="It is shown wherever the rule decides"
            onChange={(event) => onChange({ ...rule, name: event.target.value })}
          />
        </div>
        <div className="flex flex-wrap gap-x-5 gap-y-2 pb-2">
          <label className="flex items-center gap-2">
            <input type="checkbox" checked={rule.isOn} onChange={(event) => onChange({ ...rule, isOn: event.target.checked })} />
            On
          </label>
          <label className="flex items-center gap-2">
            <input type="checkbox" checked={rule.isBinding} onChange={(event) => onChange({ ...rule, isBinding: event.target.checked })} />
            Binding: also over what was set by hand
          </label>
        </div>
      </div>
    </fieldset>
  )
}
