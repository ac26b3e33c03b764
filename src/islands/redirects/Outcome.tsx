import { Info, TriangleAlert } from 'lucide-react'
import { toast } from 'sonner'
import type { RedirectNew, RedirectOutcome, RedirectRow } from '../../contract/redirects.ts'
import { call } from '../../ui/api.ts'
import { useAsk } from '../../ui/query.tsx'
import { useSettled } from '../../ui/settled.ts'
import { counted, number } from '../../words/index.ts'
import { askedWords, outcomeWords } from './words.ts'

const TYPED_MS = 350

/** Tells what a row that was saved does for visitors from now on, as the bench says. @param undo - how it is taken back */
export async function tellRow(
  { id, ...row }: Pick<RedirectRow, 'id' | 'from' | 'match'>,
  undo?: { label: string; onClick: () => void },
): Promise<void> {
  const more = undo === undefined ? {} : { action: undo }
  try {
    const outcome = await call('redirects.outcome', { body: { id } })
    const { isAsMeant, sentence } = outcomeWords(outcome, askedWords(row))
    if (isAsMeant) toast.success(sentence, more)
    else toast.warning(`Saved. ${sentence}`, { ...more, duration: 12_000 })
  } catch {
    toast.success('Saved. What it does could not be tried: see the bench.', more)
  }
}

/** Rows of a step that the bench is asked about, one after the other: it reads what all of them are answered by. */
const TRIED = 5

/** What rows that were made together do for visitors, in words. */
export async function toldRows(ids: readonly string[]): Promise<string> {
  const others: string[] = []
  const tried = ids.slice(0, TRIED)
  let known = 0
  for (const id of tried) {
    const outcome = await call('redirects.outcome', { body: { id } }).catch(() => null)
    if (outcome === null) continue
    known++
    const { sentence, isAsMeant } = outcomeWords(outcome, pathOf(outcome.address))
    if (!isAsMeant) others.push(sentence)
  }
  const made = counted(ids.length, 'address is', 'addresses are')
  const isMade = `${counted(ids.length, 'row is', 'rows are')} made.`
  if (known < ids.length && others.length === 0)
    return `${isMade} ${known === 0 ? 'What they do could not be tried: see the bench.' : `The first ${known} do as meant; the others were not tried.`}`
  if (others.length === 0) return `${made} answered from now on.`
  return `${isMade} ${others.slice(0, 2).join(' ')}${others.length > 2 ? ` And ${others.length - 2} more do not do as meant.` : ''}`
}

const pathOf = (address: string | null): string => (address === null ? 'It' : address.replace(/^https?:\/\/[^/]+/, ''))

/** What a row would do, beside the form in which it is written. */
export function OutcomeNote({ id, row, isReady }: { id: string | undefined; row: RedirectNew; isReady: boolean }) {
  const wanted = useSettled(JSON.stringify(row), TYPED_MS)
  const { data, error } = useAsk(
    'redirects.outcome',
    { body: { ...(id === undefined ? {} : { id }), row: JSON.parse(wanted) as RedirectNew } },
    { enabled: isReady, retry: false, placeholderData: (before) => before },
  )
  if (!isReady || data === undefined || error !== null) return null
  const { isAsMeant, sentence } = outcomeWords(data, askedWords(row), 'once this is saved')
  return (
    <div role="status" className={`flex items-start gap-2 rounded-md border px-3 py-2 ${isAsMeant ? '' : 'bg-sun'}`}>
      {isAsMeant ? <Info className="mt-1 size-4 shrink-0" aria-hidden /> : <TriangleAlert className="mt-1 size-4 shrink-0" aria-hidden />}
      <div>
        <p>{sentence}</p>
        {data.hides !== null && data.hides.rows > 0 && <Hides hides={data.hides} />}
      </div>
    </div>
  )
}

function Hides({ hides: { names, rows } }: { hides: NonNullable<RedirectOutcome['hides']> }) {
  return (
    <ul className="note mt-1 list-disc pl-5">
      {names.map((name) => (
        <li key={name} className="address">
          {name}
        </li>
      ))}
      {rows > names.length && <li>and {number(rows - names.length)} more</li>}
    </ul>
  )
}
