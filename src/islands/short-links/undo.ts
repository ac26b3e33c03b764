import { toast } from 'sonner'
import { call, wordsOf } from '../../ui/api.ts'
import { counted } from './words.ts'

const UNDO_MS = 30_000

/** Says what a step did to short links, and offers to take it back. */
export function toldStep(words: string, step: string | null): void {
  toast.success(words, step === null ? {} : { duration: UNDO_MS, action: { label: 'Undo', onClick: () => void undo(step) } })
}

async function undo(id: string): Promise<void> {
  try {
    const { back, left } = await call('short-link-steps.undo', { id })
    toast.success(
      `Taken back: ${counted(back, 'short link')} as before.${left === 0 ? '' : ` ${left} changed since, and stay as they are.`}`,
    )
  } catch (error) {
    toast.error(wordsOf(error))
  }
}
