import { toast } from 'sonner'
import { isUndoReport } from '../../contract/jobs.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { counted } from './words.ts'

const POLL_MS = 300
const UNDO_MS = 30_000

/** Takes a step back, and says what came of it once it is done. */
export async function undoStep(id: string): Promise<void> {
  try {
    const { job } = await call('redirect-steps.undo', { id })
    for (;;) {
      const { state, report, message } = await call('jobs.get', { id: job })
      if (state === 'failed' || state === 'cancelled') return void toast.error(message ?? 'That could not be taken back.')
      if (state === 'done') {
        if (!isUndoReport(report)) return
        const left = report.changedSince === 0 ? '' : ` ${counted(report.changedSince, 'row')} changed since, and stay as they are.`
        return void toast.success(`Taken back: ${counted(report.givenBack, 'row')} as before.${left}`)
      }
      await new Promise((resolve) => setTimeout(resolve, POLL_MS))
    }
  } catch (error) {
    toast.error(wordsOf(error))
  }
}

/** Says what a step did, and offers to take it back. */
export function toldStep(words: string, step: string | null): void {
  toast.success(words, step === null ? {} : { duration: UNDO_MS, action: { label: 'Undo', onClick: () => void undoStep(step) } })
}
