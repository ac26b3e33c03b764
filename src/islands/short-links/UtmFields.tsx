import { useId } from 'react'
import { UTM_NAMES, type Utm, type UtmName, usualSpelling } from '../../core/utm/index.ts'
import { useAsk } from '../../ui/query.tsx'

const WORDS: Readonly<Record<UtmName, readonly [label: string, example: string]>> = {
  utm_source: ['Where it stands', 'newsletter'],
  utm_medium: ['What sort of place that is', 'email'],
  utm_campaign: ['For which campaign', 'quiet-season'],
  utm_term: ['For which words', ''],
  utm_content: ['Which of several', 'top-button'],
}

/** UTM parameters, with what the site usually writes into them. */
export function UtmFields({ utm, onChange }: { utm: Utm; onChange: (utm: Utm) => void }) {
  const id = useId()
  const { data } = useAsk('short-link-steps.utmValues', {})
  const known = (name: UtmName): string[] => (data?.items ?? []).filter((each) => each.name === name).map(({ value }) => value)
  return (
    <div className="grid grid-cols-3 gap-3 max-md:grid-cols-1">
      {UTM_NAMES.map((name) => {
        const usual = usualSpelling(utm[name] ?? '', known(name))
        return (
          <div key={name}>
            <label className="field-label" htmlFor={`${id}-${name}`}>
              {WORDS[name][0]} <span className="address font-normal text-ink-soft">{name}</span>
            </label>
            <input
              id={`${id}-${name}`}
              className="field"
              list={`${id}-${name}-known`}
              placeholder={WORDS[name][1]}
              value={utm[name] ?? ''}
              autoComplete="off"
              onChange={({ target }) => onChange({ ...utm, [name]: target.value })}
            />
            <datalist id={`${id}-${name}-known`}>
              {known(name).map((value) => (
                <option key={value} value={value} />
              ))}
            </datalist>
            {usual !== null && (
              <p className="mt-1 text-[14px]">
                You usually write{' '}
                <button type="button" className="underline" onClick={() => onChange({ ...utm, [name]: usual })}>
                  {usual}
                </button>
                : statistics take the two for different.
              </p>
            )}
          </div>
        )
      })}
    </div>
  )
}
