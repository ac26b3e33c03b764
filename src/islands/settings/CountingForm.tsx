import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import { type Counting, KEPT_DAYS_MAX } from '../../contract/counting.ts'
import { tellBotRule } from '../../core/clicks/index.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { changedOf, isAgreed, Sides, useEdited, useVersioned } from '../../ui/edited.tsx'
import { Form } from '../../ui/Form.tsx'
import { JobProgress, useJob } from '../../ui/job.tsx'
import { NumberField } from '../../ui/NumberField.tsx'
import { useAsk } from '../../ui/query.tsx'
import { useUnsaved } from '../../ui/unsaved.ts'
import { inWords, number } from '../../words/index.ts'

/** What is counted of the site's visitors, who is taken for a bot, and how long single clicks are kept. */
export function CountingForm({ canEdit }: { canEdit: boolean }) {
  const { data } = useAsk('counting.look', {})
  return data === undefined ? null : <Loaded given={data} canEdit={canEdit} />
}

const NUMBERS = [
  ['perMinute', 'within a minute, over'],
  ['perDay', 'on a day, over'],
  ['unseenPerDay', 'on a day with no page seen, over'],
] as const

const FIELD_WORDS = {
  countsPages: 'Page views and links out are counted',
  keptDays: 'Days single clicks are kept',
  botRule: 'Who is a robot',
} as const

function Loaded({ given, canEdit }: { given: Counting; canEdit: boolean }) {
  const edited = useEdited(useVersioned(given), { key: 'counting', isView: true })
  const { countsPages, keptDays, botRule } = edited.value
  const { data: seen } = useAsk('counting.seen', { query: { limit: 1 } })
  const { isChanged } = edited
  useUnsaved(isChanged)
  const save = useMutation({
    mutationFn: () => call('counting.change', { body: changedOf(given, edited.value) }),
    onSuccess: () => toast.success('Saved. It holds within seconds.'),
  })
  return (
    <Form isSheet label="Counting" isMain={false} sending={save} words={canEdit ? 'Save' : null} canSend={isChanged && isAgreed(edited)}>
      <Sides
        edited={edited}
        words={FIELD_WORDS}
        show={(value) => (typeof value === 'object' ? inWords(tellBotRule(value as Counting['botRule'], countsPages)) : String(value))}
      />
      <h2 className="text-[19px]">Counting</h2>
      <label className="flex items-start gap-2.5">
        <input
          type="checkbox"
          className="mt-1"
          disabled={!canEdit}
          checked={countsPages}
          onChange={({ target }) => edited.set({ countsPages: target.checked })}
        />
        <span>
          Count how often pages are looked at, and which of their links out are followed
          <span className="note block">
            A script of less than a kilobyte goes along with each page, also behind front doors. It sets no cookie and changes no address.
            Nobody is counted whose browser asks for it (Global Privacy Control) or who reads without scripts.
          </span>
          {seen !== undefined && seen.total.views > 0 && (
            <span className="note block">
              In the last 28 days: {number(seen.total.views)} page views, {number(seen.total.links)} links followed;{' '}
              {number(seen.total.bots)} views by robots are kept apart.
            </span>
          )}
        </span>
      </label>
      <fieldset>
        <legend className="mb-1.5 text-[17px] font-semibold">So many clicks of one visitor are a robot’s</legend>
        <div className="grid grid-cols-3 gap-3.5 max-md:grid-cols-1">
          {NUMBERS.map(([key, words]) => (
            <NumberField
              key={key}
              label={words}
              unit="clicks"
              least={1}
              most={key === 'perMinute' ? 10_000 : 1_000_000}
              isOff={!canEdit || (key === 'unseenPerDay' && !countsPages)}
              value={botRule[key]}
              onChange={(value) => value !== null && edited.set({ botRule: { ...botRule, [key]: value } })}
            />
          ))}
        </div>
        <p className="note mt-1">
          Known robots, browsers that load ahead and programs that ask for headers alone are kept apart in any case. Every ten minutes the
          days to which clicks came are looked through for {inWords(tellBotRule(given.botRule, given.countsPages))}.
        </p>
        {canEdit && !isChanged && <JudgeAgain />}
      </fieldset>
      <div className="max-w-80">
        <NumberField
          label="Keep single clicks for so many days"
          unit="days"
          most={KEPT_DAYS_MAX}
          isOff={!canEdit}
          value={keptDays}
          onChange={(days) => days !== null && edited.set({ keptDays: days })}
        />
        <p className="note mt-1">
          0: for ever. What was counted of them by the hour stays; only who was one and the same visitor is forgotten.
        </p>
      </div>
    </Form>
  )
}

/** Applies the rule to all clicks that are kept, with how far it is. */
function JudgeAgain() {
  const [job, setJob] = useState<string | null>(null)
  const judge = useMutation({
    mutationFn: () => {
      const id = crypto.randomUUID()
      setJob(id)
      return call('counting.judge', { body: { job: id } })
    },
    onSuccess: ({ days, clicks }) =>
      toast.success(`${days} ${days === 1 ? 'day' : 'days'} looked through; ${number(clicks)} clicks changed sides.`),
    onError: (failure) => toast.error(wordsOf(failure)),
    onSettled: () => setJob(null),
  })
  if (judge.isPending && job !== null) return <Judging id={job} />
  return (
    <button type="button" className="button mt-2" onClick={() => judge.mutate()}>
      Apply it to all clicks that are kept
    </button>
  )
}

function Judging({ id }: { id: string }) {
  const { job, stop, isStopping } = useJob(id, true)
  return <JobProgress job={job} words={({ done, total }) => `${done} of ${total} days`} onStop={isStopping ? null : stop} />
}
