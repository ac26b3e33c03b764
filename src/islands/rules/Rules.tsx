import { useMutation } from '@tanstack/react-query'
import { History as HistoryIcon, Plus } from 'lucide-react'
import { useEffect, useState } from 'react'
import { toast } from 'sonner'
import type { Partner } from '../../contract/partners.ts'
import { RuleList } from '../../contract/rules.ts'
import type { Rule, RulesDraft } from '../../core/rules/index.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { useEdited } from '../../ui/edited.tsx'
import { mergeOrder } from '../../ui/merging.ts'
import { Queries, useAsk } from '../../ui/query.tsx'
import { useSettled } from '../../ui/settled.ts'
import { ToChanges } from '../../ui/ToChanges.tsx'
import { useUnsaved } from '../../ui/unsaved.ts'
import { useEngine } from '../links/engine.ts'
import { Beginnings } from './Beginnings.tsx'
import {
  changeTo,
  emptyRule,
  fieldsOf,
  isFinished,
  marksAllPartners,
  nameFor,
  partnersRule,
  readKept,
  rulesOf,
  warningsFor,
} from './draft.ts'
import { ImpactPane } from './ImpactPane.tsx'
import { InOrder } from './InOrder.tsx'
import { Lowest } from './Lowest.tsx'
import { OneRule } from './OneRule.tsx'
import { RuleForm } from './RuleForm.tsx'
import { RuleHistory } from './RuleHistory.tsx'
import { SaveRules } from './SaveRules.tsx'
import { sayWhat, sayWhich } from './say.ts'

interface RulesProps {
  initial: RuleList
  partners: readonly Partner[]
  /** Of the site. */
  language: string
  canEdit: boolean
  /** An owner, who says what holds below the rules. */
  isOwner: boolean
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

function RulesView({ initial, partners, language, canEdit, isOwner, marksPartners }: RulesProps) {
  const { engine, state } = useEngine()
  const { data: saved } = useAsk('rules.list', {}, { initialData: initial })
  // The same rule is never added twice: where it is there, what it does not reach was set by a hand.
  const there = marksPartners ? initial.rules.find(marksAllPartners) : undefined
  const [first] = useState(() => (marksPartners && canEdit && there === undefined ? partnersRule() : null))
  const edited = useEdited(fieldsOf(saved), { key: 'rules', isView: true, read: readKept, mergers: { order: mergeOrder } })
  const { partnersArePaid } = edited.value
  const rules = rulesOf(edited.value)
  const setRules = (next: readonly Rule[]): void => edited.set(changeTo(edited.value, next))
  // biome-ignore lint/correctness/useExhaustiveDependencies: once, when the screen is opened for it
  useEffect(() => {
    if (first !== null) setRules([first, ...rules])
  }, [])
  const [openId, setOpenId] = useState<string | null>(first?.id ?? there?.id ?? null)
  const [isLooking, setLooking] = useState(false)
  const nameOf = (id: string): string => partners.find((partner) => partner.id === id)?.name ?? 'a partner who is gone'
  const { isChanged, wasKept } = edited
  useUnsaved(isChanged)
  useEffect(() => {
    if (wasKept) toast('The rules that you had not saved are here again.')
  }, [wasKept])
  useEffect(() => {
    if (there === undefined) return
    toast(
      there.isOn
        ? 'This rule is there already. What it leaves unmarked was set by hand, or an earlier rule speaks first.'
        : 'This rule is there, and switched off.',
      {
        duration: 20_000,
        ...(there.isOn ? { action: { label: 'See those links', onClick: () => location.assign('/links?finding=unmarked') } } : {}),
      },
    )
  }, [there])
  const complete = rules.filter(isFinished)
  const asked = JSON.stringify({ rules: complete, partnersArePaid })
  const settled = useSettled(asked, 120)
  const { isLoaded } = state
  useEffect(() => {
    if (isLoaded) engine?.impact(JSON.parse(settled) as RulesDraft, settled)
  }, [engine, isLoaded, settled])
  const impact = state.impact?.of === asked ? state.impact.impact : null
  const unheard = state.impact?.unheard ?? []
  const save = useMutation({
    mutationFn: () =>
      edited.save(
        (fields, version) =>
          call('rules.save', {
            body: {
              version,
              ...(fields.partnersArePaid === saved.partnersArePaid ? {} : { partnersArePaid: fields.partnersArePaid }),
              rules: rulesOf(fields).map((rule) => ({ ...rule, name: rule.name.trim() === '' ? nameFor(rule, nameOf) : rule.name.trim() })),
            },
          }),
        (current) => fieldsOf(RuleList.parse(current)),
      ),
    onSuccess: (now) => {
      const before = saved
      const wasOpen = openId
      edited.saved(fieldsOf(now))
      setOpenId(null)
      requestAnimationFrame(() =>
        (document.querySelector<HTMLElement>(`[data-rule="${wasOpen}"]`) ?? document.querySelector<HTMLElement>('[data-rule]'))?.focus(),
      )
      engine?.refresh()
      toast.success('Saved. Every page is delivered by these rules from now on.', {
        duration: 20_000,
        action: { label: 'Undo', onClick: () => back.mutate({ ...before, version: now.version }) },
      })
    },
  })
  const back = useMutation({
    mutationFn: (list: RuleList) => call('rules.save', { body: list }),
    onSuccess: (now) => {
      edited.saved(fieldsOf(now))
      engine?.refresh()
      toast.success('The rules are as they were.')
    },
    onError: (error) => toast.error(wordsOf(error)),
  })
  /** Moves are told to whoever does not see them. */
  const [told, setTold] = useState('')
  const change = (id: string, next: Rule): void => setRules(rules.map((rule) => (rule.id === id ? next : rule)))
  const moveTo = (id: string, to: number): void => {
    const next = rules.filter((rule) => rule.id !== id)
    const rule = rules.find((each) => each.id === id)
    if (rule !== undefined) next.splice(Math.max(0, Math.min(next.length, to)), 0, rule)
    setRules(next)
    if (rule !== undefined) setTold(`${rule.name === '' ? 'The rule' : rule.name} is number ${next.indexOf(rule) + 1} of ${next.length}.`)
    const isGrip = document.activeElement?.hasAttribute('data-rule-grip') === true
    requestAnimationFrame(() => document.querySelector<HTMLElement>(`[data-rule${isGrip ? '-grip' : ''}="${id}"]`)?.focus())
  }
  const add = (rule: Rule, at = rules.length): void => {
    setRules([...rules.slice(0, at), rule, ...rules.slice(at)])
    setOpenId(rule.id)
  }
  const ids = rules.map(({ id }) => id)
  const ruleName = (id: string): string => rules.find((rule) => rule.id === id)?.name || 'The rule'
  const isUnfinished = complete.length < rules.length
  return (
    <div className="mx-auto grid max-w-[1240px] grid-cols-[minmax(0,1fr)_420px] gap-6 px-5 py-7 max-lg:grid-cols-1 max-md:px-3">
      <div className="grid content-start gap-5">
        <header className="flex flex-wrap items-baseline gap-x-4">
          <h1 className="text-[26px]">Rules</h1>
          <p className="flex-1 text-ink-soft">the first one that speaks decides; what was set by hand stays</p>
          <ToChanges kind="rules" />
          <button type="button" className="button button-plain" onClick={() => setLooking(true)}>
            <HistoryIcon size={16} aria-hidden="true" />
            History
          </button>
        </header>
        {rules.length === 0 &&
          (canEdit ? (
            <Beginnings language={language} onTake={setRules} />
          ) : (
            <p className="sheet px-5 py-8 text-center text-ink-soft">No rules yet.</p>
          ))}
        <InOrder ids={ids} nameOf={ruleName} told={told} canEdit={canEdit} onMove={moveTo}>
          <ol className="grid gap-2.5" aria-label="Rules in their order">
            {rules.map((rule, index) => (
              <OneRule
                key={rule.id}
                rule={rule}
                number={index + 1}
                sentence={`${sayWhich(rule, nameOf)} ${sayWhat(rule) === '' ? '…' : sayWhat(rule)}.`}
                isOpen={openId === rule.id}
                canEdit={canEdit}
                warnings={warningsFor(
                  rule,
                  index + 1,
                  unheard,
                  state.impact?.impact.conflicts ?? [],
                  state.impact?.impact.rules.find(({ id }) => id === rule.id),
                )}
                onOpen={() => setOpenId(openId === rule.id ? null : rule.id)}
                onMove={(by) => moveTo(rule.id, index + by)}
                onCopy={() => add({ ...rule, id: crypto.randomUUID(), name: `${rule.name} (copy)`.slice(0, 120) }, index + 1)}
                onSwitch={() => change(rule.id, { ...rule, isOn: !rule.isOn })}
                onRemove={() => setRules(rules.filter((each) => each.id !== rule.id))}
              >
                <RuleForm
                  rule={rule}
                  language={language}
                  partners={partners}
                  isReadOnly={!canEdit}
                  onChange={(next) => change(rule.id, next)}
                />
              </OneRule>
            ))}
          </ol>
        </InOrder>
        {canEdit && (
          <div className="flex flex-wrap gap-2.5">
            <button type="button" className="button" onClick={() => add(emptyRule())}>
              <Plus size={16} aria-hidden="true" />
              New rule
            </button>
          </div>
        )}
        <Lowest
          partnersArePaid={partnersArePaid}
          partners={partners}
          canChange={isOwner}
          decides={state.impact?.impact.rules.find(({ id }) => id === 'lowest')?.decides ?? null}
          onChange={(next) => edited.set({ partnersArePaid: next })}
        />
      </div>
      <aside className="sticky top-4 grid content-start gap-3 max-lg:static" aria-label="What would change">
        <ImpactPane
          isChanged={isChanged}
          isUnfinished={isUnfinished}
          impact={impact ?? (isChanged ? (state.impact?.impact ?? null) : null)}
          error={state.failure}
          isLooking={impact === null}
          open={rules.find(({ id }) => id === openId) ?? null}
        />
        {canEdit && isChanged && (
          <SaveRules
            edited={edited}
            saved={saved}
            nameOf={nameOf}
            isUnfinished={isUnfinished}
            save={save}
            onPutBack={() => {
              edited.putBack()
              setOpenId(null)
              save.reset()
            }}
          />
        )}
      </aside>
      {isLooking && (
        <RuleHistory
          now={saved}
          nameOf={nameOf}
          canEdit={canEdit}
          onRestore={(list) => back.mutate({ ...list, version: saved.version })}
          onClose={() => setLooking(false)}
        />
      )}
    </div>
  )
}
