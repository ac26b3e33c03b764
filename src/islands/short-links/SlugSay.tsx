import { useAsk } from '../../ui/query.tsx'
import { useSettled } from '../../ui/settled.ts'
import { bare, SLIP_WORDS } from './words.ts'

/** How a slug is said and heard, with the reasons; and spellings that people may type in its place. */
export function SlugSay({
  slug,
  host,
  of,
  onFurther,
  chosen = [],
}: {
  slug: string
  host?: string | undefined
  /** The short link that it is of, where there is one. */
  of?: string | undefined
  /** Takes a further spelling; left out where none can be. */
  onFurther?: ((slug: string) => void) | undefined
  chosen?: readonly string[]
}) {
  const wanted = useSettled(slug, 200)
  const { data } = useAsk(
    'short-link-slugs.look',
    { query: { slug: wanted, ...(host === undefined ? {} : { host }), ...(of === undefined ? {} : { of }) } },
    { enabled: wanted !== '', placeholderData: (before) => before },
  )
  if (data === undefined || slug === '') return null
  const good = data.reasons.filter(({ isGood }) => isGood)
  const bad = data.reasons.filter(({ isGood }) => !isGood)
  const offered = data.further.filter((each) => !chosen.includes(each.slug)).slice(0, 6)
  return (
    <div className="grid gap-1.5 text-[14px]" aria-live="polite" data-slug-say>
      <p>
        <b className={data.score >= 75 ? 'text-sea' : data.score >= 45 ? '' : 'text-red'}>
          {data.score >= 90 ? 'Easy to say' : data.score >= 75 ? 'Good to say' : data.score >= 45 ? 'Can be said' : 'Hard to say'}
        </b>{' '}
        <span className="text-ink-soft">({data.score} of 100)</span>: “{data.aloud}”, spelled {data.spelled};{' '}
        <span className="text-ink-soft">{good.map(({ what }) => what).join(', ')}</span>
        {bad.length > 0 && `; but ${bad.map(({ what }) => what).join(', ')}`}.
      </p>
      {data.near.length > 0 && (
        <p>
          Easily taken for{' '}
          {data.near.slice(0, 3).map((each, i) => (
            <span key={each.slug}>
              {i > 0 && ', '}
              <b className="address">{each.slug}</b>{' '}
              <span className="text-ink-soft">
                ({SLIP_WORDS[each.slip]}, leads to {bare(each.leadsTo).slice(0, 40)})
              </span>
            </span>
          ))}
          .
        </p>
      )}
      {onFurther !== undefined && offered.length > 0 && (
        <fieldset className="flex flex-wrap items-center gap-1.5">
          <legend className="note float-left mr-2">People may also type:</legend>
          {offered.map((each) => (
            <button
              key={each.slug}
              type="button"
              className="button !min-h-[28px] !py-0.5 !px-2.5 font-normal"
              onClick={() => onFurther(each.slug)}
            >
              <span className="address">{each.slug}</span> <span className="note">{SLIP_WORDS[each.slip]}</span>
            </button>
          ))}
        </fieldset>
      )}
    </div>
  )
}
