import { useMutation } from '@tanstack/react-query'
import { Plus, Trash2 } from 'lucide-react'
import type { ReactNode } from 'react'
import { toast } from 'sonner'
import type { ShortLinkCourse } from '../../contract/short-link-course.ts'
import { ShortLink } from '../../contract/short-links.ts'
import { DEVICES } from '../../core/clicks/index.ts'
import { CASES_MAX, ENDINGS, QUERY_HABITS, REFERRER_POLICIES, SPLIT_MAX, WEIGHT_MAX } from '../../core/routing/index.ts'
import { call } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { isAgreed, Sides, useEdited } from '../../ui/edited.tsx'
import { Beside, Form } from '../../ui/Form.tsx'
import { LandingNote, nowhereAmong } from '../../ui/LandingNote.tsx'
import { NumberField } from '../../ui/NumberField.tsx'
import { Select } from '../../ui/Select.tsx'
import { TextField } from '../../ui/TextField.tsx'
import { courseWords, DEVICE_WORDS } from './words.ts'

type Case = ShortLinkCourse['cases'][number]
const QUERY_WORDS = {
  drop: 'left off',
  pass: 'put behind the destination’s own',
  merge: 'added where the destination does not say it itself',
} as const
const ENDING_WORDS = { page: 'is told that it is over', gone: 'gets 410: gone for good', elsewhere: 'is sent elsewhere' } as const
const REFERRER_WORDS = {
  '': 'what browsers do by themselves',
  'no-referrer': 'nothing',
  origin: 'the name of this host',
  'strict-origin': 'the name of this host, over https alone',
  'unsafe-url': 'the whole address they came from',
} as const

const FIELD_WORDS: Readonly<Record<keyof ShortLinkCourse, string>> = {
  startsAt: 'Answers from',
  endsAt: 'Answers until',
  clickLimit: 'For so many clicks',
  ending: 'Whoever comes then',
  endingTo: 'Where they are sent then',
  cases: 'Other destinations for some',
  split: 'How visitors are shared out',
  fallback: 'While the destination is down',
  query: 'Parameters',
  referrer: 'What the page learns',
  isIndexed: 'Listed by search engines',
}

const PLAIN: ShortLinkCourse = {
  ...{ startsAt: null, endsAt: null, clickLimit: null, ending: 'page', endingTo: '', cases: [], split: null, fallback: '' },
  ...{ query: 'drop', referrer: '', isIndexed: false },
}

/** As `<input type="datetime-local">` takes it, in the zone of whoever looks. */
const toLocal = (at: string | null | undefined): string => {
  if (at == null) return ''
  const date = new Date(at)
  return new Date(date.getTime() - date.getTimezoneOffset() * 60_000).toISOString().slice(0, 16)
}
const fromLocal = (local: string): string | null => (local === '' ? null : new Date(local).toISOString())

/** Who is sent where, and when: everything about a link that most links do without. */
export function CourseDialog({ link, onClose }: { link: ShortLink; onClose: () => void }) {
  const edited = useEdited<ShortLinkCourse>({ value: link.course, version: link.version }, { key: `course ${link.id}` })
  const { value: course, set } = edited
  const save = useMutation({
    mutationFn: () =>
      edited.save(
        (value, version) => call('short-links.change', { id: link.id, body: { version, course: value } }),
        (current) => {
          const now = ShortLink.parse(current)
          return { value: now.course, version: now.version }
        },
      ),
    onSuccess: async ({ slug, course: now }) => {
      onClose()
      const nowhere = await nowhereAmong([
        ...now.cases.map(({ to }) => to),
        ...(now.split?.others ?? []).map(({ to }) => to),
        now.ending === 'elsewhere' ? now.endingTo : '',
        now.fallback,
      ])
      if (nowhere === null) toast.success(`${slug} does so from now on.`)
      else toast.warning(`Saved. ${nowhere}`, { duration: 12_000 })
    },
  })
  const putCase = (at: number, change: Case): void => set({ cases: course.cases.with(at, change) })
  return (
    <Dialog title={`Who goes where from “${link.slug}”`} isOpen onClose={onClose} isWide>
      <Form
        sending={save}
        words="Save"
        canSend={isAgreed(edited)}
        beside={<Beside>Times are yours. What you leave empty changes nothing.</Beside>}
      >
        <Sides
          edited={edited}
          words={FIELD_WORDS}
          show={(value, name) => courseWords({ ...PLAIN, [name]: value }).join(' ') || String(value ?? '')}
        />
        <Part title="When it answers" why="An offer that is not there yet, or is over one day, should not send people to nothing.">
          <div className="grid grid-cols-3 gap-3 max-md:grid-cols-1">
            <TextField
              label="From"
              type="datetime-local"
              value={toLocal(course.startsAt)}
              onChange={(at) => set({ startsAt: fromLocal(at) })}
            />
            <TextField
              label="Until"
              type="datetime-local"
              value={toLocal(course.endsAt)}
              onChange={(at) => set({ endsAt: fromLocal(at) })}
            />
            <NumberField
              label="Or for about so many clicks"
              unit="clicks"
              least={1}
              most={999_999_999}
              empty="no limit"
              value={course.clickLimit}
              onChange={(clickLimit) => set({ clickLimit })}
            />
          </div>
          {(course.endsAt !== null || course.clickLimit !== null) && (
            <div className="mt-3 grid grid-cols-2 gap-3 max-md:grid-cols-1">
              <Select
                label="Whoever comes then"
                value={course.ending}
                options={ENDINGS.map((each) => [each, ENDING_WORDS[each]])}
                onChange={(value) => set({ ending: ENDINGS.find((each) => each === value) ?? 'page' })}
              />
              {course.ending === 'elsewhere' && (
                <div>
                  <TextField label="To" isAddress value={course.endingTo} onChange={(endingTo) => set({ endingTo })} />
                  <LandingNote address={course.endingTo} />
                </div>
              )}
            </div>
          )}
        </Part>
        <Part
          title="Other destinations for some"
          why="Another page from a day on, or for readers of another language, or on phones. The first that fits is taken."
        >
          {course.cases.map((each, at) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: they have no names, and stand in their order
            <div key={at} className="mb-3 grid gap-2 rounded-md border p-3">
              <div className="grid grid-cols-[minmax(0,1fr)_auto] items-end gap-2.5">
                <TextField label="To" isAddress value={each.to} onChange={(to) => putCase(at, { ...each, to })} />
                <Leave words="Leave this destination out" onLeave={() => set({ cases: course.cases.toSpliced(at, 1) })} />
              </div>
              <LandingNote address={each.to} />
              <div className="grid grid-cols-3 gap-2.5 max-md:grid-cols-1">
                <TextField
                  label="From"
                  type="datetime-local"
                  value={toLocal(each.when.from)}
                  onChange={(local) => putCase(at, { ...each, when: withTime(each.when, 'from', local) })}
                />
                <TextField
                  label="Until"
                  type="datetime-local"
                  value={toLocal(each.when.until)}
                  onChange={(local) => putCase(at, { ...each, when: withTime(each.when, 'until', local) })}
                />
                <TextField
                  label="Readers of these languages"
                  placeholder="de fr"
                  value={(each.when.languages ?? []).join(' ')}
                  onChange={(text) =>
                    putCase(at, {
                      ...each,
                      when: {
                        ...each.when,
                        languages: text
                          .toLowerCase()
                          .split(/[\s,]+/)
                          .filter((word) => word !== ''),
                      },
                    })
                  }
                />
              </div>
              <div className="flex flex-wrap gap-x-5 gap-y-1.5">
                {DEVICES.map((device) => (
                  <label key={device} className="flex items-center gap-2">
                    <input
                      type="checkbox"
                      checked={each.when.devices?.includes(device) ?? false}
                      onChange={({ target }) => {
                        const others = (each.when.devices ?? []).filter((one) => one !== device)
                        putCase(at, { ...each, when: { ...each.when, devices: target.checked ? [...others, device] : others } })
                      }}
                    />
                    on {DEVICE_WORDS[device]}
                  </label>
                ))}
              </div>
            </div>
          ))}
          <More
            words="One more destination"
            isFull={course.cases.length >= CASES_MAX}
            onMore={() => set({ cases: [...course.cases, { when: {}, to: '' }] })}
          />
        </Part>
        <Part
          title="Share visitors out"
          why="To see which of two pages does better. One visitor always gets the same page, and no cookie is needed for it."
        >
          {course.split !== null && (
            <>
              <Weight
                to={link.destination}
                weight={course.split.main}
                onWeight={(main) => course.split !== null && set({ split: { ...course.split, main } })}
              />
              {course.split.others.map((each, at) => {
                const { split } = course
                if (split === null) return null
                const put = (change: Partial<typeof each>): void =>
                  set({ split: { ...split, others: split.others.with(at, { ...each, ...change }) } })
                const left = split.others.toSpliced(at, 1)
                return (
                  <Weight
                    // biome-ignore lint/suspicious/noArrayIndexKey: they have no names, and stand in their order
                    key={at}
                    to={each.to}
                    weight={each.weight}
                    onTo={(to) => put({ to })}
                    onWeight={(weight) => put({ weight })}
                    onLeave={() => set({ split: left.length === 0 ? null : { ...split, others: left } })}
                  />
                )
              })}
            </>
          )}
          <More
            words={course.split === null ? 'Share them out' : 'One more page'}
            isFull={(course.split?.others.length ?? 0) >= SPLIT_MAX}
            onMore={() =>
              set({ split: { main: course.split?.main ?? 50, others: [...(course.split?.others ?? []), { to: '', weight: 50 }] } })
            }
          />
        </Part>
        <Part
          title="While the destination is down"
          why="It is asked every two minutes whether it answers; if it does not, visitors go here until it does."
        >
          <TextField label="To" isAddress value={course.fallback} onChange={(fallback) => set({ fallback })} />
          <LandingNote address={course.fallback} />
        </Part>
        <details className="rounded-md border px-4 py-3">
          <summary className="cursor-pointer font-semibold">Parameters, search engines, referrer</summary>
          <div className="mt-3 grid grid-cols-2 gap-3 max-md:grid-cols-1">
            <Select
              label="What stands behind “?” in the short link is"
              value={course.query}
              options={QUERY_HABITS.map((each) => [each, QUERY_WORDS[each]])}
              onChange={(value) => set({ query: QUERY_HABITS.find((each) => each === value) ?? 'drop' })}
            />
            <Select
              label="The page learns of where visitors come from"
              value={course.referrer}
              options={REFERRER_POLICIES.map((each) => [each, REFERRER_WORDS[each]])}
              onChange={(value) => set({ referrer: REFERRER_POLICIES.find((each) => each === value) ?? '' })}
            />
            <label className="flex items-center gap-2.5">
              <input type="checkbox" checked={!course.isIndexed} onChange={({ target }) => set({ isIndexed: !target.checked })} />
              Tell search engines not to list it, and not to follow it (noindex, nofollow)
            </label>
          </div>
        </details>
      </Form>
    </Dialog>
  )
}

function withTime(when: Case['when'], name: 'from' | 'until', local: string): Case['when'] {
  const { [name]: _, ...rest } = when
  const at = fromLocal(local)
  return at === null ? rest : { ...rest, [name]: at }
}

function Part({ title, why, children }: { title: string; why: string; children: ReactNode }) {
  return (
    <fieldset className="rounded-md border px-4 py-3">
      <legend className="px-1.5 font-display font-semibold">{title}</legend>
      <p className="note mb-2.5">{why}</p>
      {children}
    </fieldset>
  )
}

function Weight({
  to,
  weight,
  onTo,
  onWeight,
  onLeave,
}: {
  to: string
  weight: number
  /** Left out for the link's own destination. */
  onTo?: (to: string) => void
  onWeight: (weight: number) => void
  onLeave?: () => void
}) {
  return (
    <div className="mb-2 grid grid-cols-[minmax(0,1fr)_110px_40px] items-start gap-2.5">
      <TextField
        label={onTo === undefined ? 'This page' : 'Or this'}
        isAddress
        value={to}
        readOnly={onTo === undefined}
        onChange={(text) => onTo?.(text)}
      />
      <NumberField label="Share" most={WEIGHT_MAX} value={weight} onChange={(next) => onWeight(next ?? 0)} />
      {onLeave === undefined ? <span /> : <Leave words="Leave this page out" onLeave={onLeave} />}
      <div className="col-span-full">
        <LandingNote address={to} />
      </div>
    </div>
  )
}

const Leave = ({ words, onLeave }: { words: string; onLeave: () => void }) => (
  <button type="button" className="button button-plain !px-2" aria-label={words} title={words} onClick={onLeave}>
    <Trash2 size={16} aria-hidden="true" />
  </button>
)

const More = ({ words, isFull, onMore }: { words: string; isFull: boolean; onMore: () => void }) => (
  <button type="button" className="button button-plain !px-2" disabled={isFull} onClick={onMore}>
    <Plus size={16} aria-hidden="true" />
    {words}
  </button>
)
