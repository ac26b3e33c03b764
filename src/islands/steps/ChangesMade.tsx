import { useState } from 'react'
import { STEP_KINDS, type Step, type StepKind, type StepList } from '../../contract/steps.ts'
import { Problem } from '../../ui/Form.tsx'
import { Queries, useAskOn } from '../../ui/query.tsx'
import { useOneStop } from '../../ui/roving.ts'
import { takeBack } from '../../ui/steps.ts'
import { When } from '../../ui/When.tsx'
import type { InWords } from '../../words/index.ts'
import { KIND_WORDS, stepWords } from './words.ts'

interface Props {
  /** Null where the screen was opened for one kind. */
  initial: InWords<StepList> | null
  kind: StepKind | null
}

/** Whatever was done to many things at once, newest first; each taken back whole, also tomorrow. */
export function ChangesMade(props: Props) {
  return (
    <Queries>
      <Steps {...props} />
    </Queries>
  )
}

function Steps({ initial, kind: first }: Props) {
  const [kind, setKind] = useState<StepKind | null>(first)
  const query = kind === null ? {} : { kind }
  const list = useAskOn('steps.list', { query }, { initial: kind === null && initial !== null ? initial : undefined })
  const [busy, setBusy] = useState<string | null>(null)
  const items = list.data?.pages.flatMap((page) => page.items) ?? []
  const undo = async (step: InWords<Step>): Promise<void> => {
    setBusy(step.id)
    await takeBack({ kind: step.kind, id: step.id })
    setBusy(null)
    await list.refetch()
  }
  const stop = useOneStop<HTMLOListElement>()
  return (
    <div className="mx-auto grid max-w-[940px] gap-4 px-5 py-7 max-md:px-3">
      <header className="flex flex-wrap items-baseline gap-x-4 gap-y-1">
        <h1 className="text-[26px]">Changes made</h1>
        <p className="min-w-0 flex-1 text-ink-soft">what was done to many things at once; each is taken back as one</p>
      </header>
      <nav aria-label="Kinds of changes" className="flex flex-wrap gap-1.5">
        {([null, ...STEP_KINDS] as const).map((each) => (
          <button
            key={each ?? 'all'}
            type="button"
            className="chip aria-pressed:border-ink aria-pressed:font-semibold"
            aria-pressed={kind === each}
            onClick={() => {
              setKind(each)
              history.replaceState(null, '', each === null ? '/changes' : `/changes?kind=${each}`)
            }}
          >
            {each === null ? 'All' : KIND_WORDS[each][0]}
          </button>
        ))}
      </nav>
      <Problem error={list.error} />
      {list.data !== undefined && items.length === 0 && (
        <p className="sheet px-5 py-8 text-center text-ink-soft">
          Nothing yet. Changes of many links, lists brought in, partners pointed elsewhere and rules saved will stand here.
        </p>
      )}
      {items.length > 0 && (
        <ol {...stop} className="sheet divide-y" aria-label="Changes, newest first">
          {items.map((step) => (
            <li key={`${step.kind} ${step.id}`} className="flex flex-wrap items-center gap-x-4 gap-y-1 px-4 py-2.5">
              <div className="min-w-0 flex-1 basis-[320px]">
                <p className={`[overflow-wrap:anywhere] ${step.isUndone ? 'text-ink-soft line-through' : ''}`}>{stepWords(step)}</p>
                <p className="note">
                  <a href={KIND_WORDS[step.kind][1]}>{KIND_WORDS[step.kind][0]}</a>, {step.by ?? 'somebody'}, <When at={step.at} />
                </p>
              </div>
              {step.isUndone ? (
                <span className="note">taken back</span>
              ) : step.canUndo ? (
                <button type="button" className="button" disabled={busy !== null} onClick={() => void undo(step)}>
                  {busy === step.id ? 'Taking it back…' : 'Undo'}
                  <span className="sr-only"> {stepWords(step)}</span>
                </button>
              ) : (
                <span className="note">not yours to take back</span>
              )}
            </li>
          ))}
        </ol>
      )}
      {list.hasNextPage && (
        <p>
          <button type="button" className="button" disabled={list.isFetchingNextPage} onClick={() => void list.fetchNextPage()}>
            Earlier ones
          </button>
        </p>
      )}
    </div>
  )
}
