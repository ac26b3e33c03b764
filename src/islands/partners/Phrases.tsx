import { useMutation, useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { toast } from 'sonner'
import type { Partner } from '../../contract/partners.ts'
import type { Phrase, PhraseWeights } from '../../contract/phrases.ts'
import { readableAddress } from '../../core/address/index.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { Form } from '../../ui/Form.tsx'
import { useAsk } from '../../ui/query.tsx'
import { Select } from '../../ui/Select.tsx'
import { useSettled } from '../../ui/settled.ts'
import { TextArea } from '../../ui/TextArea.tsx'
import { TextField } from '../../ui/TextField.tsx'
import { useKeptText } from '../../ui/unsaved.ts'

/** The words that are looked for, where they lead, and what counts when there are more than a page bears. */
export function Phrases({ partners, canEdit }: { partners: readonly Partner[]; canEdit: boolean }) {
  const { data } = useAsk('phrases.list', { query: { limit: 2_000 } })
  const byDestination = new Map<string, Phrase[]>()
  for (const phrase of data?.items ?? []) byDestination.set(phrase.destination, [...(byDestination.get(phrase.destination) ?? []), phrase])
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_340px] gap-6 max-lg:grid-cols-1">
      <section aria-label="Phrases by destination">
        <h2 className="text-[19px]">Where words lead</h2>
        <p className="note mb-3">
          {data === undefined ? '…' : `${data.total} ${data.total === 1 ? 'phrase' : 'phrases'}`}. Simple endings, hyphens, apostrophes and
          other spellings are found with them.
        </p>
        <ul className="grid gap-2">
          {[...byDestination].map(([destination, phrases]) => (
            <li key={destination} className="sheet px-4 py-2.5">
              <p className="flex flex-wrap items-baseline gap-x-2">
                <b className="font-semibold">{partners.find(({ id }) => id === phrases[0]?.partnerId)?.name ?? 'A page of yours'}</b>
                <span className="address min-w-0 truncate text-ink-soft">{readableAddress(destination.replace(/^https?:\/\//, ''))}</span>
              </p>
              <ul className="mt-1.5 flex flex-wrap gap-2">
                {phrases.map((phrase) => (
                  <One key={phrase.id} phrase={phrase} canEdit={canEdit} />
                ))}
              </ul>
            </li>
          ))}
          {data?.items.length === 0 && (
            <li className="text-ink-soft">None yet. Say which words should lead where; your pages are then looked through for them.</li>
          )}
        </ul>
      </section>
      {canEdit && (
        <div className="grid content-start gap-5">
          <AddPhrases />
          <Weights />
        </div>
      )}
    </div>
  )
}

function One({ phrase, canEdit }: { phrase: Phrase; canEdit: boolean }) {
  const onError = (failure: Error): void => void toast.error(wordsOf(failure))
  const change = useMutation({ mutationFn: (priority: number) => call('phrases.change', { id: phrase.id, body: { priority } }), onError })
  const remove = useMutation({ mutationFn: () => call('phrases.remove', { id: phrase.id }), onError })
  const allow = useMutation({ mutationFn: () => call('phrases.allow', { id: phrase.id }), onError })
  const isRefused = phrase.isRefusedEverywhere || phrase.refused > 0
  return (
    <li className={`chip ${phrase.isRefusedEverywhere ? 'text-ink-soft line-through' : ''}`}>
      {phrase.words}
      {canEdit && (
        <>
          <Select
            label={`How much “${phrase.words}” counts, 1 to 5`}
            isLabelHidden
            className="!min-h-0 !w-auto !border-0 !bg-transparent !p-0 text-[13px] text-ink-soft"
            value={String(phrase.priority)}
            options={[1, 2, 3, 4, 5].map((each) => [String(each), `${each} of 5`])}
            onChange={(value) => change.mutate(Number(value))}
          />
          {isRefused && (
            <button
              type="button"
              className="text-[13px] underline"
              onClick={() => allow.mutate()}
              title={phrase.isRefusedEverywhere ? 'refused everywhere' : `refused on ${phrase.refused} pages`}
            >
              suggest again
            </button>
          )}
          <button type="button" className="px-1 text-ink-soft" aria-label={`Take out “${phrase.words}”`} onClick={() => remove.mutate()}>
            ×
          </button>
        </>
      )}
    </li>
  )
}

function AddPhrases() {
  const [destination, setDestination] = useKeptText('phrases lead to')
  const [words, setWords] = useKeptText('phrases')
  const settled = useSettled(destination.trim(), 400)
  const ideas = useQuery({
    queryKey: ['phrase-ideas', settled],
    queryFn: () => call('phrases.ideas', { query: { destination: settled } }),
    enabled: settled !== '',
    retry: false,
  })
  const lines = words
    .split('\n')
    .map((line) => line.trim())
    .filter((line) => line !== '')
  const add = useMutation({
    mutationFn: () => call('phrases.create', { body: { destination, words: lines } }),
    onSuccess: ({ items, refused }) => {
      if (items.length > 0) toast.success(`${items.length} ${items.length === 1 ? 'phrase is' : 'phrases are'} looked for from now on.`)
      for (const each of refused.slice(0, 3)) toast.error(`“${each.words}”: ${each.reason}`)
      setWords('')
    },
  })
  const left = (ideas.data?.items ?? []).filter((idea) => !lines.some((line) => line.toLowerCase() === idea.words.toLowerCase()))
  return (
    <Form sending={add} words="Look for these" canSend={destination.trim() !== '' && lines.length > 0} isSheet label="Add phrases">
      <h2 className="text-[17px]">Add phrases</h2>
      <TextField
        label="They lead to"
        value={destination}
        onChange={setDestination}
        isAddress
        placeholder="a page of a partner’s, a short link, /a/page"
      />
      {left.length > 0 && (
        <fieldset className="flex flex-wrap gap-1.5">
          <legend className="field-label">Words it is known by</legend>
          {left.map((idea) => (
            <button
              key={idea.words}
              type="button"
              className="chip"
              title={idea.why}
              onClick={() => setWords(`${words === '' ? '' : `${words.trimEnd()}\n`}${idea.words}\n`)}
            >
              + {idea.words}
            </button>
          ))}
        </fieldset>
      )}
      <TextArea label="Phrases, one a line" value={words} onChange={setWords} />
    </Form>
  )
}

const WEIGHT_WORDS: Readonly<Record<keyof PhraseWeights, string>> = {
  priority: 'what you say a phrase counts',
  earns: 'what links like it earn a click',
  early: 'how early it stands in the page',
  fitting: 'how closely the words fit',
}

function Weights() {
  const { data } = useAsk('phrases.weights', {})
  const weigh = useMutation({
    mutationFn: (weights: PhraseWeights) => call('phrases.weigh', { body: weights }),
    onError: (failure) => toast.error(wordsOf(failure)),
  })
  const [given, setGiven] = useState(data)
  useEffect(() => setGiven(data), [data])
  if (given === undefined) return null
  // Every choice of the site is made anew by it: once, when the hand lets go.
  const keep = (): void => {
    if (JSON.stringify(given) !== JSON.stringify(data)) weigh.mutate(given)
  }
  return (
    <section aria-label="What counts" className="sheet grid gap-2.5 px-4 py-4">
      <h2 className="text-[17px]">What counts</h2>
      <p className="note">Where there are more places than a page bears, the set with the most in all is chosen.</p>
      {(Object.keys(WEIGHT_WORDS) as (keyof PhraseWeights)[]).map((key) => (
        <label key={key} className="grid grid-cols-[minmax(0,1fr)_120px_28px] items-center gap-2 text-[14px]">
          {WEIGHT_WORDS[key]}
          <input
            type="range"
            min={0}
            max={10}
            value={given[key]}
            onChange={({ target }) => setGiven({ ...given, [key]: Number(target.value) })}
            onPointerUp={keep}
            onKeyUp={keep}
            onBlur={keep}
          />
          <span className="text-right tabular-nums">{given[key]}</span>
        </label>
      ))}
    </section>
  )
}
