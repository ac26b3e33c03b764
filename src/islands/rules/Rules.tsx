import { useMutation, useQuery } from '@tanstack/react-query'
import { ArrowDown, ArrowUp, Plus, Trash2 } from 'lucide-react'
import { useState } from 'react'
import { toast } from 'sonner'
import type { Partner } from '../../contract/partners.ts'
import type { ImpactAnswer } from '../../contract/rules.ts'
import { type Rule, sayWhat, sayWhich } from '../../core/rules/index.ts'
import { ask, Refusal, wordsOf } from '../../ui/api.ts'
import { Queries, queries } from '../../ui/query.tsx'
import { useSettled } from '../../ui/settled.ts'
import { ImpactPane } from './ImpactPane.tsx'
import { Partners } from './Partners.tsx'
import { RuleForm } from './RuleForm.tsx'

interface RulesProps {
  initial: { version: number; rules: readonly Rule[] }
  partners: readonly Partner[]
  canEdit: boolean
  /** Opens with a new rule that marks all partners' links. */
  marksPartners: boolean
}

/** Ordered sentences, and beside them what they would change before they do. */
export function Rules(props: RulesProps) {
  return (
    <Queries>
      <RulesView {...props} />
    </Queries>
  )
}

function emptyRule(): Rule {
  return { id: crypto.randomUUID(), name: '', isOn: true, isBinding: false, where: {}, which: { kinds: ['outside'] }, what: {} }
}

function partnersRule(): Rule {
  return { ...emptyRule(), name: 'Partners’ sites are paid', which: { partner: true }, what: { hints: ['sponsored', 'nofollow'] } }
}

function RulesView({ initial, partners, canEdit, marksPartners }: RulesProps) {
  const [saved, setSaved] = useState(initial)
  const [first] = useState(() => (marksPartners && canEdit ? partnersRule() : null))
  const [rules, setRules] = useState<readonly Rule[]>(first === null ? initial.rules : [first, ...initial.rules])
  const [openId, setOpenId] = useState<string | null>(first?.id ?? null)
  const isChanged = JSON.stringify(rules) !== JSON.stringify(saved.rules)
  const complete = rules.filter((rule) => sayWhat(rule) !== '')
  const asked = useSettled(JSON.stringify(complete), 250)
  const impact = useQuery({
    queryKey: ['impact', saved.version, asked],
    queryFn: ({ signal }) => ask<ImpactAnswer>('POST', '/rules/impact', { rules: JSON.parse(asked) as Rule[] }, signal),
    enabled: isChanged,
    retry: false,
    placeholderData: (before) => before,
  })
  const save = useMutation({
    mutationFn: () =>
      ask<{ version: number; rules: Rule[] }>('PUT', '/rules', {
        version: saved.version,
        rules: rules.map((rule) => ({ ...rule, name: rule.name.trim() === '' ? nameFor(rule) : rule.name.trim() })),
      }),
    onSuccess: (now) => {
      setSaved(now)
      setRules(now.rules)
      setOpenId(null)
      toast.success('Saved. Every page is delivered by these rules from now on.')
      void queries.invalidateQueries()
    },
  })
  const change = (id: string, next: Rule): void => setRules(rules.map((rule) => (rule.id === id ? next : rule)))
  const move = (index: number, by: number): void => {
    const next = [...rules]
    const [rule] = next.splice(index, 1)
    if (rule !== undefined) next.splice(index + by, 0, rule)
    setRules(next)
  }
  const add = (rule: Rule): void => {
    setRules([...rules, rule])
    setOpenId(rule.id)
  }
  const isUnfinished = complete.length < rules.length
  return (
    <div className="mx-auto grid max-w-[1240px] grid-cols-[minmax(0,1fr)_420px] gap-6 px-5 py-7 max-lg:grid-cols-1 max-md:px-3">
      <div className="grid content-start gap-5">
        <header className="flex flex-wrap items-baseline gap-x-4">
          <h1 className="text-[26px]">Rules</h1>
          <p className="text-ink-soft">the first one that speaks decides; what was set by hand stays</p>
        </header>
        {rules.length === 0 && (
          <p className="sheet px-5 py-8 text-center text-ink-soft">
            No rules yet: links are delivered as they were written. Say the first sentence below.
          </p>
        )}
        <ol className="grid gap-2.5" aria-label="Rules in their order">
          {rules.map((rule, index) => (
            <li key={rule.id} className={`sheet ${rule.isOn ? '' : 'opacity-70'}`}>
              <div className="flex items-start gap-3 px-4 py-3">
                <span
                  className="mt-0.5 grid size-7 shrink-0 place-items-center rounded-full border-2 font-display text-[14px]"
                  style={{ borderColor: 'var(--rope)' }}
                >
                  {index + 1}
                </span>
                <button
                  type="button"
                  className="min-w-0 flex-1 text-left"
                  aria-expanded={openId === rule.id}
                  onClick={() => setOpenId(openId === rule.id ? null : rule.id)}
                >
                  <b className="block font-semibold">{rule.name === '' ? 'New rule' : rule.name}</b>
                  <span className="block text-ink-soft [overflow-wrap:anywhere]">
                    {sayWhich(rule)} {sayWhat(rule) === '' ? '…' : sayWhat(rule)}.
                    {rule.isBinding && ' Binding: also over what was set by hand.'}
                    {!rule.isOn && ' Off.'}
                  </span>
                </button>
                {canEdit && (
                  <span className="flex shrink-0">
                    <IconButton label={`Move rule ${index + 1} up`} isOff={index === 0} onClick={() => move(index, -1)}>
                      <ArrowUp size={16} aria-hidden="true" />
                    </IconButton>
                    <IconButton label={`Move rule ${index + 1} down`} isOff={index === rules.length - 1} onClick={() => move(index, 1)}>
                      <ArrowDown size={16} aria-hidden="true" />
                    </IconButton>
                    <IconButton label={`Take rule ${index + 1} away`} onClick={() => setRules(rules.filter((each) => each.id !== rule.id))}>
                      <Trash2 size={16} aria-hidden="true" />
                    </IconButton>
                  </span>
                )}
              </div>
              {openId === rule.id && <RuleForm rule={rule} isReadOnly={!canEdit} onChange={(next) => change(rule.id, next)} />}
            </li>
          ))}
        </ol>
        {canEdit && (
          <div className="flex flex-wrap gap-2.5">
            <button type="button" className="button" onClick={() => add(emptyRule())}>
              <Plus size={16} aria-hidden="true" />
              New rule
            </button>
            {!rules.some((rule) => rule.which.partner === true) && (
              <button type="button" className="button button-plain" onClick={() => add(partnersRule())}>
                Mark all partners’ links as paid
              </button>
            )}
          </div>
        )}
        <Partners initial={partners} canEdit={canEdit} />
      </div>
      <aside className="sticky top-4 grid content-start gap-3 max-lg:static" aria-label="What would change">
        <ImpactPane
          isChanged={isChanged}
          isUnfinished={isUnfinished}
          impact={impact.data ?? null}
          error={impact.error === null ? null : wordsOf(impact.error)}
          isLooking={impact.isFetching || asked !== JSON.stringify(complete)}
        />
        {canEdit && isChanged && (
          <div className="sheet grid gap-3 px-4 py-3">
            {save.error !== null && (
              <SaveProblem
                error={save.error}
                onTakeTheirs={(theirs) => {
                  setSaved(theirs)
                  save.reset()
                }}
              />
            )}
            <div className="flex justify-end gap-2.5">
              <button
                type="button"
                className="button button-plain"
                onClick={() => {
                  setRules(saved.rules)
                  setOpenId(null)
                  save.reset()
                }}
              >
                Put back
              </button>
              <button type="button" className="button button-main" disabled={save.isPending || isUnfinished} onClick={() => save.mutate()}>
                Save rules
              </button>
            </div>
          </div>
        )}
      </aside>
    </div>
  )
}

/** Two people changed the rules: both lists stay, and the second one decides with open eyes. */
function SaveProblem({ error, onTakeTheirs }: { error: Error; onTakeTheirs: (theirs: { version: number; rules: Rule[] }) => void }) {
  const current =
    error instanceof Refusal && error.fault === 'moved-on'
      ? (error.facts.current as { version: number; rules: Rule[] } | undefined)
      : undefined
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

function IconButton({
  label,
  isOff = false,
  onClick,
  children,
}: {
  label: string
  isOff?: boolean
  onClick: () => void
  children: React.ReactNode
}) {
  return (
    <button type="button" className="button button-plain !px-2" aria-label={label} title={label} disabled={isOff} onClick={onClick}>
      {children}
    </button>
  )
}

const nameFor = (rule: Rule): string => `${sayWhich(rule)} ${sayWhat(rule)}`.slice(0, 120)
