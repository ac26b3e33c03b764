import { Plus, X } from 'lucide-react'
import type { Partner } from '../../contract/partners.ts'
import type { Condition, Test } from '../../core/rules/index.ts'
import { Select } from '../../ui/Select.tsx'
import { Value } from './TestValue.tsx'

type Group = { readonly mode: 'all' | 'any'; readonly parts: readonly Condition[] }

/** A condition as a group of sentences; a single one is a group of one. */
function groupOf(condition: Condition): Group {
  if ('all' in condition) return { mode: 'all', parts: condition.all }
  if ('any' in condition) return { mode: 'any', parts: condition.any }
  return { mode: 'all', parts: [condition] }
}

const conditionOf = ({ mode, parts }: Group): Condition => (mode === 'all' ? { all: parts } : { any: parts })

const TESTS: readonly (readonly [Test['is'], string])[] = [
  ['kind', 'lead to'],
  ['partner', 'lead to a partner'],
  ['site', 'lead to these sites'],
  ['address', 'have an address like'],
  ['under', 'hang on pages under'],
  ['part', 'hang in'],
  ['tag', 'are tagged'],
  ['sponsored page', 'hang on a page written for a partner'],
  ['shows', 'show'],
  ['origin', 'were'],
]

const FRESH: Readonly<Record<Test['is'], Test>> = {
  kind: { is: 'kind', of: ['outside'] },
  partner: { is: 'partner' },
  site: { is: 'site', of: [] },
  address: { is: 'address', like: '' },
  under: { is: 'under', of: [] },
  part: { is: 'part', of: ['block'] },
  tag: { is: 'tag', of: [] },
  'sponsored page': { is: 'sponsored page' },
  shows: { is: 'shows', of: 'picture' },
  origin: { is: 'origin', of: 'imported' },
}

/** Groups within groups: two levels are what a person can still read. */
const DEPTH_MAX = 2

/** Which links a rule means, put together by choosing words. */
export function ConditionForm({
  condition,
  partners,
  depth = 0,
  onChange,
}: {
  condition: Condition
  partners: readonly Partner[]
  depth?: number
  onChange: (condition: Condition) => void
}) {
  const group = groupOf(condition)
  const put = (parts: readonly Condition[]): void => onChange(conditionOf({ ...group, parts }))
  return (
    <div className={depth === 0 ? 'grid gap-2' : 'grid gap-2 rounded-lg border border-dashed px-3 py-2.5'}>
      <div className="flex flex-wrap items-center gap-2">
        <span className="font-semibold">{depth === 0 ? 'Links that' : 'that'}</span>
        {group.parts.length > 1 && (
          <Select
            label="How the sentences go together"
            isLabelHidden
            className="!w-auto !min-h-8 !py-1"
            value={group.mode}
            options={[
              ['all', 'meet all of these'],
              ['any', 'meet any of these'],
            ]}
            onChange={(value) => onChange(conditionOf({ ...group, mode: value === 'any' ? 'any' : 'all' }))}
          />
        )}
        {group.parts.length === 0 && <span className="text-ink-soft">hang anywhere and lead anywhere</span>}
      </div>
      {group.parts.map((part, i) => (
        <Part
          // biome-ignore lint/suspicious/noArrayIndexKey: sentences have no names; a changed one stays in its place
          key={i}
          condition={part}
          partners={partners}
          depth={depth}
          onChange={(next) => put(group.parts.map((each, k) => (k === i ? next : each)))}
          onRemove={() => put(group.parts.filter((_, k) => k !== i))}
        />
      ))}
      <p className="flex flex-wrap gap-2">
        <button
          type="button"
          className="button button-plain !min-h-8 !px-2 !py-0.5"
          onClick={() => put([...group.parts, FRESH[group.parts.length === 0 ? 'kind' : 'under']])}
        >
          <Plus size={15} aria-hidden="true" />
          {group.parts.length === 0 ? 'Choose which' : group.mode === 'all' ? 'and …' : 'or …'}
        </button>
        {depth < DEPTH_MAX && group.parts.length > 0 && (
          <button
            type="button"
            className="button button-plain !min-h-8 !px-2 !py-0.5 font-normal"
            onClick={() =>
              put([...group.parts, { [group.mode === 'all' ? 'any' : 'all']: [FRESH.kind, FRESH.tag] } as unknown as Condition])
            }
          >
            <Plus size={15} aria-hidden="true" />
            several in brackets
          </button>
        )}
      </p>
    </div>
  )
}

function Part({
  condition,
  partners,
  depth,
  onChange,
  onRemove,
}: {
  condition: Condition
  partners: readonly Partner[]
  depth: number
  onChange: (condition: Condition) => void
  onRemove: () => void
}) {
  const isNot = 'not' in condition
  const inner = isNot ? condition.not : condition
  const change = (next: Condition): void => onChange(isNot ? { not: next } : next)
  const isGroup = 'all' in inner || 'any' in inner
  return (
    <div className="flex items-start gap-2">
      <div className="grid flex-1 grid-cols-[92px_minmax(0,220px)_minmax(0,1fr)] items-center gap-2 max-md:grid-cols-[92px_minmax(0,1fr)]">
        <Select
          label="do or do not"
          isLabelHidden
          className="!min-h-9 !py-1"
          value={isNot ? 'not' : 'do'}
          options={[
            ['do', 'do'],
            ['not', 'do not'],
          ]}
          onChange={(value) => onChange(value === 'not' ? { not: inner } : inner)}
        />
        {isGroup ? (
          <div className="col-span-2 max-md:col-span-1">
            <ConditionForm condition={inner} partners={partners} depth={depth + 1} onChange={change} />
          </div>
        ) : 'is' in inner ? (
          <>
            <Select
              label="What is asked of the link"
              isLabelHidden
              className="!min-h-9 !py-1"
              value={inner.is}
              options={TESTS}
              onChange={(value) => change(FRESH[value as Test['is']])}
            />
            <div className="max-md:col-span-2">
              <Value key={inner.is} test={inner} partners={partners} onChange={change} />
            </div>
          </>
        ) : null}
      </div>
      <button
        type="button"
        className="button button-plain !min-h-9 !px-2"
        aria-label="Take this out"
        title="Take this out"
        onClick={onRemove}
      >
        <X size={16} aria-hidden="true" />
      </button>
    </div>
  )
}
