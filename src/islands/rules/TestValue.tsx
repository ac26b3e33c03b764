import { useState } from 'react'
import type { Partner } from '../../contract/partners.ts'
import type { Test } from '../../core/rules/index.ts'
import { Select } from '../../ui/Select.tsx'
import { KINDS, PARTS } from './test-words.ts'

export function Value({ test, partners, onChange }: { test: Test; partners: readonly Partner[]; onChange: (test: Test) => void }) {
  switch (test.is) {
    case 'kind':
      return <Several label="Kinds" options={KINDS} value={test.of} onChange={(of) => onChange({ is: 'kind', of })} />
    case 'partner':
      return (
        <Several
          label="Partners"
          options={partners.map(({ id, name }) => [id, name] as const)}
          value={test.of ?? []}
          none="any of them"
          onChange={(of) => onChange(of.length === 0 ? { is: 'partner' } : { is: 'partner', of })}
        />
      )
    case 'site':
      return (
        <Words
          label="Sites, with commas between them"
          value={test.of}
          placeholder="gannet-line.example, bothy-beds.example"
          clean={bareSite}
          onChange={(of) => onChange({ is: 'site', of })}
        />
      )
    case 'under':
      return (
        <Words
          label="Paths, with commas between them"
          value={test.of}
          placeholder="/islands, /walks"
          clean={(path) => (path.startsWith('/') ? path : `/${path}`)}
          onChange={(of) => onChange({ is: 'under', of })}
        />
      )
    case 'tag':
      return (
        <Words
          label="Tags, with commas between them"
          value={test.of}
          placeholder="spring, boats"
          isSpaced
          onChange={(of) => onChange({ is: 'tag', of })}
        />
      )
    case 'address':
      return (
        <input
          className="field address !min-h-9 !py-1"
          aria-label="Address, “*” for any stretch"
          placeholder="https://*.example/shop/*"
          value={test.like}
          onChange={(event) => onChange({ is: 'address', like: event.target.value })}
        />
      )
    case 'part':
      return (
        <div className="grid gap-2">
          <Several label="Parts" options={PARTS} value={test.of} onChange={(of) => onChange({ ...test, of })} />
          {test.of.some((kind) => kind !== 'page') && (
            <Words
              label="Only those of these names"
              value={test.named ?? []}
              placeholder="any name, or: footer, main"
              onChange={(named) => onChange(named.length === 0 ? { is: 'part', of: test.of } : { ...test, named })}
            />
          )}
        </div>
      )
    case 'shows':
      return (
        <One
          label="What it shows"
          value={test.of}
          options={[
            ['text', 'words'],
            ['picture', 'a picture'],
          ]}
          onChange={(of) => onChange({ is: 'shows', of })}
        />
      )
    case 'origin':
      return (
        <One
          label="Where it comes from"
          value={test.of}
          options={[
            ['imported', 'brought in from elsewhere'],
            ['written here', 'made here'],
          ]}
          onChange={(of) => onChange({ is: 'origin', of })}
        />
      )
    case 'sponsored page':
      return null
  }
}

function One<T extends string>({
  label,
  value,
  options,
  onChange,
}: {
  label: string
  value: T
  options: readonly (readonly [T, string])[]
  onChange: (value: T) => void
}) {
  return (
    <Select
      label={label}
      isLabelHidden
      className="!min-h-9 !py-1"
      value={value}
      options={options}
      onChange={(chosen) => onChange(options.find(([each]) => each === chosen)?.[0] ?? value)}
    />
  )
}

function Several<T extends string>({
  label,
  options,
  value,
  none,
  onChange,
}: {
  label: string
  options: readonly (readonly [T, string])[]
  value: readonly T[]
  none?: string
  onChange: (value: T[]) => void
}) {
  return (
    <fieldset className="flex flex-wrap gap-1.5">
      <legend className="sr-only">{label}</legend>
      {none !== undefined && (
        <button
          type="button"
          className="chip !px-2.5 !py-0.5 aria-pressed:border-ink aria-pressed:bg-sun"
          aria-pressed={value.length === 0}
          onClick={() => onChange([])}
        >
          {none}
        </button>
      )}
      {options.map(([each, words]) => (
        <button
          key={each}
          type="button"
          className="chip !px-2.5 !py-0.5 aria-pressed:border-ink aria-pressed:bg-sun"
          aria-pressed={value.includes(each)}
          onClick={() => {
            const next = value.includes(each) ? value.filter((other) => other !== each) : [...value, each]
            if (next.length > 0 || none !== undefined) onChange(next)
          }}
        >
          {words}
        </button>
      ))}
    </fieldset>
  )
}

/** Several words in one line. What is typed stays as it is typed; what is handed on is clean. */
function Words({
  label,
  value,
  placeholder,
  isSpaced = false,
  clean = (word) => word,
  onChange,
}: {
  label: string
  value: readonly string[]
  placeholder: string
  isSpaced?: boolean
  clean?: (word: string) => string
  onChange: (value: string[]) => void
}) {
  const [typed, setTyped] = useState(value.join(', '))
  return (
    <input
      className="field address !min-h-9 !py-1"
      aria-label={label}
      placeholder={placeholder}
      value={typed}
      autoComplete="off"
      spellCheck={false}
      onChange={(event) => {
        setTyped(event.target.value)
        onChange(
          event.target.value
            .split(isSpaced ? ',' : /[\s,]+/)
            .map((word) => word.trim())
            .filter((word) => word !== '')
            .map(clean),
        )
      }}
    />
  )
}

/** A site as people paste it, down to its name. */
const bareSite = (text: string): string =>
  text
    .toLowerCase()
    .replace(/^[a-z]+:\/\//, '')
    .replace(/[/?#].*$/, '')
    .replace(/:\d+$/, '')
    .replace(/^www\./, '')
