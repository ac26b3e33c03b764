import { type ReactNode, useMemo, useState } from 'react'
import { RESULT_DAYS, type ShortLinkResults } from '../../contract/short-link-results.ts'
import { OTHER_SOURCES } from '../../core/clicks/index.ts'
import { Chart } from '../../ui/Chart.tsx'
import { Problem } from '../../ui/Form.tsx'
import { useAsk } from '../../ui/query.tsx'
import { clock, counted, dateAndClock, day, languageName, number } from '../../words/index.ts'
import { bare, DEVICE_WORDS, VISIT_WORDS } from './words.ts'

const DAYS_WORDS: Readonly<Record<(typeof RESULT_DAYS)[number], string>> = { 7: 'a week', 30: '30 days', 90: '90 days', 365: 'a year' }
/** Clicks come into the roll-ups within seconds; somebody who watches wants to see them. */
const REFRESH_MS = 5_000
const hundredths = (share: number): string => `${Math.round(share * 100)}`

/** Who followed a link: drawn, in words, and in a table. */
export function Results({ id }: { id: string }) {
  const [days, setDays] = useState<(typeof RESULT_DAYS)[number]>(30)
  const [by, setBy] = useState<'day' | 'hour'>('day')
  const { data, error } = useAsk(
    'short-link-results.look',
    { id, query: { days } },
    { refetchInterval: REFRESH_MS, placeholderData: (before) => before },
  )
  const drawn = useMemo(() => (data === undefined ? null : by === 'day' ? daysDrawn(data) : hoursDrawn(data)), [data, by])
  if (data === undefined || drawn === null) return error === null ? <p role="status">Looking…</p> : <Problem error={error} />
  const { people, others, before, visitors } = data.total
  return (
    <section aria-label="Clicks" className="sheet px-5 py-4">
      <header className="mb-2 flex flex-wrap items-center gap-2">
        <h2 className="mr-auto text-[19px]">Clicks</h2>
        {RESULT_DAYS.map((each) => (
          <button
            key={each}
            type="button"
            className="chip aria-pressed:border-ink aria-pressed:font-semibold"
            aria-pressed={by === 'day' && days === each}
            onClick={() => {
              setDays(each)
              setBy('day')
            }}
          >
            {DAYS_WORDS[each]}
          </button>
        ))}
        <button
          type="button"
          className="chip aria-pressed:border-ink aria-pressed:font-semibold"
          aria-pressed={by === 'hour'}
          onClick={() => setBy('hour')}
        >
          by the hour
        </button>
      </header>
      <p className="mb-2">
        People followed it <b className="text-[22px] tabular-nums">{number(people)}</b> {people === 1 ? 'time' : 'times'} in{' '}
        {DAYS_WORDS[days]}
        {visitors > 0 && (
          <span title="Told apart within a day and added up over the days: nobody can be found again on the next">
            {' '}
            ({number(visitors)} different a day, added up)
          </span>
        )}
        {before > 0 && (
          <>
            , {compared(people, before)} than in {DAYS_WORDS[days]} before ({number(before)})
          </>
        )}
        .{' '}
        <span className="text-ink-soft">
          {others > 0 &&
            `${counted(others, 'request')} by ${data.bots.map(({ visit }) => VISIT_WORDS[visit] ?? visit).join(' and ')} ${others === 1 ? 'is' : 'are'} kept apart.`}
        </span>
      </p>
      <Chart label={drawn.label} labels={drawn.labels} series={drawn.series} />
      <p className="note mt-1 flex flex-wrap gap-x-4">
        <Key colour="--rope">people</Key>
        <Key colour="--edge">tools and robots</Key>
        {by === 'day' && before > 0 && <Key colour="--sea">people, as long before</Key>}
        {data.changes.length > 0 && (
          <span>
            {data.changes
              .slice(0, 3)
              .map(({ day: on, words }) => `${day(on)}: ${bare(words)}`)
              .join(' · ')}
          </span>
        )}
      </p>
      <details className="mt-2">
        <summary className="cursor-pointer text-[14px] font-semibold">As a table</summary>
        <section className="mt-2 max-h-72 overflow-auto" tabIndex={0} aria-label="Clicks as a table">
          <table className="w-full text-left text-[14px] tabular-nums">
            <thead>
              <tr>
                <th className="py-1">{by === 'day' ? `Day (${data.zone})` : `Hour (${data.zone})`}</th>
                <th className="py-1 pl-4 text-right">People</th>
                <th className="py-1 pl-4 text-right">Others</th>
                {by === 'day' && <th className="py-1 pl-4 text-right">Before</th>}
              </tr>
            </thead>
            <tbody>
              {by === 'day'
                ? data.days.toReversed().map((each) => (
                    <tr key={each.day} className="border-t">
                      <td>{each.day}</td>
                      <td className="pl-4 text-right">{each.people}</td>
                      <td className="pl-4 text-right">{each.others}</td>
                      <td className="pl-4 text-right">{each.before}</td>
                    </tr>
                  ))
                : data.hours.toReversed().map((each) => (
                    <tr key={each.hour} className="border-t">
                      <td>{dateAndClock(new Date(each.hour), data.zone)}</td>
                      <td className="pl-4 text-right">{each.people}</td>
                      <td className="pl-4 text-right">{each.others}</td>
                    </tr>
                  ))}
            </tbody>
          </table>
        </section>
      </details>
      {data.split !== null && <Split split={data.split} verdict={data.verdict} />}
      <div className="mt-4 grid grid-cols-3 gap-5 border-t pt-3 max-md:grid-cols-1">
        <Sources title="Came from" none="typed, scanned, or from mail" items={data.referrers} />
        <Sources title="With" none="something else" items={data.devices} wordsFor={deviceWords} />
        <Sources title="Reading in" none="no language said" items={data.languages} wordsFor={languageName} />
      </div>
      {data.placements.length > 0 && (
        <section aria-label="Followed from your pages" className="mt-4 border-t pt-3">
          <h3 className="mb-1 text-[15px]">Followed from your pages</h3>
          <ul className="grid gap-1 text-[14px]">
            {data.placements.slice(0, 8).map(({ host, path, nth, people: times }) => (
              <li key={`${host}${path}${nth}`} className="flex gap-2">
                <span className="address min-w-0 flex-1 truncate">
                  {path}
                  {nth > 0 && <span className="text-ink-soft"> link {nth + 1} to it</span>}
                </span>
                <span className="tabular-nums">{number(times)}</span>
              </li>
            ))}
          </ul>
        </section>
      )}
    </section>
  )
}

function compared(now: number, before: number): string {
  const change = Math.round((now / before - 1) * 100)
  return change === 0 ? 'as many' : change > 0 ? `${change} in a hundred more` : `${-change} in a hundred fewer`
}

const daysDrawn = ({ days, total }: ShortLinkResults) => ({
  label: `Clicks a day from ${days[0]?.day ?? ''} to ${days[days.length - 1]?.day ?? ''}, beside as many days before`,
  labels: days.map((each) => day(each.day)),
  series: [
    { name: 'people', kind: 'bar', colour: '--rope', values: days.map(({ people }) => people) },
    { name: 'tools and robots', kind: 'bar', colour: '--edge', values: days.map(({ others }) => others) },
    ...(total.before === 0
      ? []
      : [{ name: 'people, as long before', kind: 'line', colour: '--sea', values: days.map(({ before }) => before) } as const]),
  ] as const,
})

const hoursDrawn = ({ hours, zone }: ShortLinkResults) => ({
  label: 'Clicks an hour in the last two days',
  labels: hours.map(({ hour }) => clock(new Date(hour), zone)),
  series: [
    { name: 'people', kind: 'bar', colour: '--rope', values: hours.map(({ people }) => people) },
    { name: 'tools and robots', kind: 'bar', colour: '--edge', values: hours.map(({ others }) => others) },
  ] as const,
})

const Key = ({ colour, children }: { colour: string; children: ReactNode }) => (
  <span className="inline-flex items-center gap-1.5">
    <span aria-hidden="true" className="inline-block size-[10px] rounded-[2px]" style={{ background: `var(${colour})` }} />
    {children}
  </span>
)

const deviceWords = (value: string): string => (DEVICE_WORDS as Readonly<Record<string, string>>)[value] ?? value

function Sources({
  title,
  none,
  items,
  wordsFor = (value) => value,
}: {
  title: string
  none: string
  items: ShortLinkResults['referrers']
  wordsFor?: (value: string) => string
}) {
  const all = items.reduce((sum, { clicks }) => sum + clicks, 0)
  return (
    <div>
      <h3 className="mb-1 text-[15px]">{title}</h3>
      {items.length === 0 && <p className="note">Nobody yet.</p>}
      <ul className="grid gap-1 text-[14px]">
        {items.slice(0, 6).map(({ value, clicks }) => (
          <li key={value} className="grid grid-cols-[minmax(0,1fr)_auto] gap-x-2">
            <span className={`truncate ${value === '' || value === OTHER_SOURCES ? 'text-ink-soft' : ''}`}>
              {value === '' ? none : value === OTHER_SOURCES ? 'all others' : wordsFor(value)}
            </span>
            <span className="tabular-nums">{number(clicks)}</span>
            <span aria-hidden="true" className="col-span-2 h-[3px] rounded bg-rope" style={{ width: `${(clicks / all) * 100}%` }} />
          </li>
        ))}
      </ul>
    </div>
  )
}

/** What a split has shown; a share is never told without how sure it is. */
function Split({ split, verdict }: { split: NonNullable<ShortLinkResults['split']>; verdict: string }) {
  return (
    <section aria-label="Shared out" className="mt-4 border-t pt-3">
      <h3 className="text-[16px]">Shared out</h3>
      <p className="mt-0.5 mb-2">{verdict}</p>
      <div className="overflow-x-auto">
        <table className="w-full text-left text-[14px] tabular-nums">
          <thead>
            <tr className="align-bottom">
              <th className="py-1">Destination</th>
              <th className="py-1 pl-4 text-right">Share set</th>
              <th className="py-1 pl-4 text-right">Clicks</th>
              <th className="py-1 pl-4 text-right">In a hundred</th>
              <th className="py-1 pl-4 text-right">Orders</th>
              <th className="py-1 pl-4 text-right">Orders in a hundred clicks</th>
            </tr>
          </thead>
          <tbody>
            {split.map((each, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: a destination may be named twice
              <tr key={i} className="border-t">
                <td className="address max-w-64 truncate py-1" title={each.to}>
                  {bare(each.to)}
                </td>
                <td className="pl-4 text-right">{each.weight}</td>
                <td className="pl-4 text-right">{each.clicks}</td>
                <td className="pl-4 text-right">
                  {hundredths(each.share.share)}{' '}
                  <span className="text-ink-soft">
                    ({hundredths(each.share.low)}–{hundredths(each.share.high)})
                  </span>
                </td>
                <td className="pl-4 text-right">{each.orders ?? '–'}</td>
                <td className="pl-4 text-right">
                  {each.clicks === 0 || each.orders === null ? (
                    '–'
                  ) : (
                    <>
                      {(each.earns.share * 100).toFixed(1)}{' '}
                      <span className="text-ink-soft">
                        ({(each.earns.low * 100).toFixed(1)}–{(each.earns.high * 100).toFixed(1)})
                      </span>
                    </>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <p className="note mt-1">In brackets: the true share lies between these two, in 95 cases of a hundred (Wilson’s interval).</p>
    </section>
  )
}
