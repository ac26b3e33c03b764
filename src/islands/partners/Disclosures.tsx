import { useMutation } from '@tanstack/react-query'
import { toast } from 'sonner'
import type { DisclosedPage, Disclosure } from '../../contract/disclosure.ts'
import { readableAddress } from '../../core/address/index.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { changedOf, isAgreed, Sides, useEdited, useVersioned } from '../../ui/edited.tsx'
import { Form, Problem } from '../../ui/Form.tsx'
import { useAsk } from '../../ui/query.tsx'
import { stepOf, toldStep } from '../../ui/steps.ts'
import { TextArea } from '../../ui/TextArea.tsx'
import { TextField } from '../../ui/TextField.tsx'
import { useUnsaved } from '../../ui/unsaved.ts'

const STATE_WORDS: Readonly<Record<DisclosedPage['state'], string>> = {
  'not needed': 'has no paid link',
  well: 'tells in time',
  lacking: 'says nothing',
  'too late': 'says it below the first paid link',
  outdated: 'says it in older words',
}

/** What readers are told of paid links, and which pages do. */
export function Disclosures({ canEdit, canPublish }: { canEdit: boolean; canPublish: boolean }) {
  const told = useAsk('disclosure.look', {})
  const review = useAsk('disclosure.review', {})
  const mend = useMutation({
    mutationFn: (pageIds: string[] | undefined) => call('disclosure.mend', { body: pageIds === undefined ? {} : { pageIds } }),
    onSuccess: ({ id, pages }) =>
      toldStep(`${pages} ${pages === 1 ? 'page tells' : 'pages tell'} its readers, as a draft.`, stepOf('links', id)),
    onError: (failure) => toast.error(wordsOf(failure)),
  })
  const pages = review.data?.pages ?? []
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_380px] gap-6 max-lg:grid-cols-1">
      <section aria-label="Pages with paid links">
        <header className="mb-2 flex flex-wrap items-baseline justify-between gap-3">
          <div>
            <h2 className="text-[19px]">Pages with paid links</h2>
            <p className="note" aria-live="polite">
              {review.data === undefined
                ? 'looking through your pages …'
                : `${review.data.lacking} to be put right, ${review.data.well} tell in time${told.data?.isDelivered === true && review.data.lacking > 0 ? '; until then they get it as they go out' : ''}`}
            </p>
          </div>
          {canPublish && pages.length > 0 && (
            <button
              type="button"
              className="button button-main"
              disabled={mend.isPending || told.data?.text === ''}
              onClick={() => mend.mutate(undefined)}
            >
              Put all {review.data?.lacking} right
            </button>
          )}
        </header>
        <Problem error={review.error} />
        <ul className="sheet divide-y">
          {pages.map((page) => (
            <li key={page.pageId} className="flex flex-wrap items-baseline gap-x-3 px-4 py-2">
              <a className="font-semibold" href={`/pages/${page.pageId}`}>
                {page.title}
              </a>
              <span className="address min-w-0 flex-1 truncate text-ink-soft">{readableAddress(page.path)}</span>
              <span className="text-[14px]">
                {page.paid} paid {page.paid === 1 ? 'link' : 'links'}, <span className="text-red">{STATE_WORDS[page.state]}</span>
              </span>
              {canPublish && (
                <button
                  type="button"
                  className="text-[14px] underline"
                  disabled={mend.isPending || told.data?.text === ''}
                  onClick={() => mend.mutate([page.pageId])}
                >
                  put right<span className="sr-only">: {page.title}</span>
                </button>
              )}
            </li>
          ))}
          {review.data !== undefined && pages.length === 0 && (
            <li className="px-4 py-6 text-center text-ink-soft">Every page with paid links tells its readers before the first of them.</li>
          )}
        </ul>
        {(review.data?.more ?? 0) > 0 && <p className="note mt-2">and {review.data?.more} more</p>}
      </section>
      {told.data !== undefined && canEdit && <Words disclosure={told.data} />}
    </div>
  )
}

const FIELD_WORDS: Readonly<Record<keyof Disclosure, string>> = {
  ...{ text: 'Words', place: 'Where', language: 'Language', short: 'Short words in front of each' },
  ...{ isDelivered: 'Put in as pages go out', isAtDoors: 'Behind front doors' },
}

function Words({ disclosure }: { disclosure: Disclosure }) {
  const edited = useEdited(useVersioned(disclosure), { key: 'disclosure', isView: true })
  const { value: given } = edited
  const setGiven = (next: Disclosure): void => edited.set(next)
  useUnsaved(edited.isChanged)
  const save = useMutation({
    mutationFn: () => call('disclosure.change', { body: changedOf(disclosure, given) }),
    onSuccess: () => void toast.success('Saved. Pages keep their words until you put them right.'),
  })
  return (
    <Form sending={save} words="Save the words" isSheet label="What readers are told" canSend={isAgreed(edited)}>
      <h2 className="text-[17px]">What readers are told</h2>
      <Sides edited={edited} words={FIELD_WORDS} show={(value) => (typeof value === 'boolean' ? (value ? 'yes' : 'no') : String(value))} />
      <TextArea
        label="Words"
        value={given.text}
        onChange={(text) => setGiven({ ...given, text })}
        placeholder="Some links here pay us a little when you buy. It costs you nothing."
      />
      <fieldset className="grid gap-1.5">
        <legend className="field-label">Where</legend>
        {(
          [
            ['above', 'right above the first paid link'],
            ['top', 'below the page’s title'],
          ] as const
        ).map(([place, words]) => (
          <label key={place} className="flex items-center gap-2">
            <input type="radio" name="place" checked={given.place === place} onChange={() => setGiven({ ...given, place })} />
            {words}
          </label>
        ))}
      </fieldset>
      <TextField
        label="Language of the words, where it is not the page’s"
        value={given.language}
        onChange={(language) => setGiven({ ...given, language })}
        placeholder="en"
      />
      <p className="note">It stands in the page as a note of its own, which screen readers name as one.</p>
      <TextField
        label="Short words in front of each paid link, if you wish"
        value={given.short}
        maxLength={60}
        onChange={(short) => setGiven({ ...given, short })}
        placeholder="paid link:"
      />
      <fieldset className="grid gap-1.5">
        <legend className="field-label">Put in by itself, as pages go out</legend>
        {(
          [
            ['isDelivered', 'on pages that say nothing, or too late; what is stored stays'],
            ['isAtDoors', 'on pages behind front doors: within the line, in front of the first paid link'],
          ] as const
        ).map(([key, words]) => (
          <label key={key} className="flex items-baseline gap-2">
            <input
              type="checkbox"
              className="translate-y-0.5"
              checked={given[key]}
              onChange={({ target }) => setGiven({ ...given, [key]: target.checked })}
            />
            {words}
          </label>
        ))}
      </fieldset>
    </Form>
  )
}
