import { useEffect } from 'react'
import { Toaster, toast } from 'sonner'
import type { Unpublished } from '../../contract/publications.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { onBeingRead } from '../../ui/being-read.ts'
import { useChanges } from '../../ui/changes.ts'
import { keepFocus } from '../../ui/focus.ts'
import { Queries, useAsk } from '../../ui/query.tsx'
import { type Saving, usePageAtHand, useSaving } from '../../ui/saving.ts'
import { number } from '../../words/index.ts'
import { usePublishing } from '../publications/publishing.tsx'

/** The foot of every screen: what is saved, what differs from the live site, and publishing it. */
export function Ledge({ canPublish }: { canPublish: boolean }) {
  return (
    <Queries>
      <LedgeBar canPublish={canPublish} />
      <Toaster
        position="top-center"
        richColors={false}
        toastOptions={{
          style: { background: 'var(--sheet)', color: 'var(--ink)', border: '1px solid var(--edge)', fontFamily: 'var(--font-text)' },
          cancelButtonStyle: { background: 'transparent', color: 'var(--ink)', textDecoration: 'underline' },
        }}
      />
    </Queries>
  )
}

function LedgeBar({ canPublish }: { canPublish: boolean }) {
  useChanges()
  useEffect(keepFocus, [])
  useEffect(() => onBeingRead(tellReading), [])
  const saving = useSaving()
  const { data, error } = useAsk('publications.unpublished', {}, { refetchInterval: 60_000 })
  const atHand = usePageAtHand()
  const { begin, isBusy, question } = usePublishing((made) => {
    toast.success(`Published: ${countWords(made.pages, made.files)}. Readers see it now.`)
    void tellCheck(made.id)
  })
  const pages = data === undefined ? 0 : data.pages.length + data.morePages
  const differs = pages + (data?.files ?? 0) > 0
  const isAtHand = atHand !== null && data?.pages.some(({ id }) => id === atHand.id) === true
  const isSaving = saving.state === 'waiting' || saving.state === 'saving'
  return (
    <footer
      data-ledge
      className="flex min-h-[46px] shrink-0 flex-wrap items-center gap-x-4 gap-y-1 bg-deck px-5 py-1.5 text-sm text-deck-text max-md:px-3"
    >
      <SavingWords saving={saving} />
      <span className="flex-1 max-md:hidden" />
      <span role="status" className="max-md:min-w-0 max-md:grow max-md:basis-[180px]">
        {data === undefined ? (
          error === null ? (
            'Looking at the live site…'
          ) : (
            wordsOf(error)
          )
        ) : differs ? (
          <>
            <b>{countWords(pages, data.files)}</b> {pages + data.files === 1 ? 'differs' : 'differ'} from the live site
            {data.linkChanges > 0 && ` · ${data.linkChanges} link ${data.linkChanges === 1 ? 'change' : 'changes'}`}
          </>
        ) : (
          'Everything is live'
        )}
      </span>
      <a href="/publications" className="button button-deck">
        {differs ? 'See what differs' : 'Publications'}
      </a>
      {atHand !== null && (isAtHand || isSaving) && canPublish && (
        <button
          type="button"
          className="button button-main"
          disabled={isBusy}
          onMouseDown={(event) => event.preventDefault()}
          onClick={() => begin({ pages: [atHand.id] })}
        >
          {isBusy ? 'Publishing…' : 'Publish this page'}
        </button>
      )}
      {data !== undefined && differs && canPublish && !(isAtHand && pages === 1) && (
        <button
          type="button"
          className={isAtHand ? 'button button-deck' : 'button button-main'}
          disabled={isBusy}
          onMouseDown={(event) => event.preventDefault()}
          onClick={() => begin({ all: true })}
        >
          {isBusy && !isAtHand
            ? 'Publishing…'
            : `Publish ${isAtHand ? 'all ' : ''}${countWords(pages, data.files)}${byOthers(data, pages)}`}
        </button>
      )}
      {question}
    </footer>
  )
}

/** How long the live site is waited for before nothing more is said. */
const CHECK_TRIES = 12
const CHECK_EVERY_MS = 1_000

/** Says what the live site answered when it was asked for what was published. */
async function tellCheck(id: string): Promise<void> {
  for (let i = 0; i < CHECK_TRIES; i++) {
    await new Promise((resolve) => setTimeout(resolve, CHECK_EVERY_MS))
    const found = await call('publications.list', {}).catch(() => null)
    const check = found?.items.find((each) => each.id === id)?.check
    if (check === null || check === undefined) continue
    if (check.problems.length > 0)
      toast.error(`${check.problems.length} of what was published is not on the live site as meant. See Publications.`)
    else
      toast.success(
        check.links === 0 ? 'The live site has it.' : `The live site has it: ${check.found} of ${check.links} changed links found.`,
      )
    return
  }
}

function SavingWords({ saving }: { saving: Saving }) {
  const [mark, words] = wordsFor(saving)
  if (words === '') return null
  return (
    <span data-saving={saving.state} aria-live="polite" className="flex items-center gap-2">
      <span aria-hidden="true" className="inline-block size-2 rounded-full" style={{ background: mark }} />
      {words}
    </span>
  )
}

function wordsFor(saving: Saving): [string, string] {
  switch (saving.state) {
    case 'nothing':
      return ['', '']
    case 'waiting':
    case 'saving':
      return ['var(--rope)', 'Saving…']
    case 'saved':
      return ['#6cc0b2', 'Saved']
    case 'kept here':
      return ['#f0907c', `Kept in this browser. ${saving.why}`]
    default:
      return ['#f0907c', saving.why]
  }
}

/** Whose work would go out: one's own needs no word. */
const byOthers = ({ byOthers: others }: Unpublished, pages: number): string =>
  others === 0 ? '' : others === pages ? ', by others' : `, ${others} by others`

function countWords(pages: number, files: number): string {
  const words = [
    pages === 0 && files > 0 ? '' : `${pages} ${pages === 1 ? 'page' : 'pages'}`,
    files === 0 ? '' : `${files} ${files === 1 ? 'file' : 'files'}`,
  ]
  return words.filter((each) => each !== '').join(' and ')
}

const READING = 'links being read'

/** Says how far the links of the site are read, while somebody waits for them. */
function tellReading(done: number | null): void {
  if (done === null) return void toast.dismiss(READING)
  const soFar = done === 0 ? '' : ` ${number(done)} so far.`
  toast.loading(`The links of the site are being read first.${soFar}`, { id: READING })
}
