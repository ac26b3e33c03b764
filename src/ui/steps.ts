import { toast } from 'sonner'
import { reportOf, type WorkKind } from '../contract/jobs.ts'
import type { StepUndo, StepUndone } from '../contract/steps.ts'
import { type InWords, number } from '../words/index.ts'
import { call, wordsOf } from './api.ts'

const POLL_MS = 300
const UNDO_MS = 30_000

/** What a step of a kind is counted in. */
const UNITS: Readonly<Record<StepUndo['kind'], readonly [one: string, many: string]>> = {
  links: ['page', 'pages'],
  'short-links': ['short link', 'short links'],
  redirects: ['row', 'rows'],
  partners: ['page, short link or redirect', 'pages, short links and redirects'],
  phrases: ['phrase', 'phrases'],
  rules: ['list of rules', 'lists of rules'],
  earnings: ['report', 'reports'],
  imports: ['page or file', 'pages and files'],
}
const counted = (kind: StepUndo['kind'], count: number): string => `${number(count)} ${UNITS[kind][count === 1 ? 0 : 1]}`

/** Kinds of jobs that take something back. */
const UNDOING = ['imports-undo', 'short-links-undo', 'redirects-undo'] as const satisfies readonly WorkKind[]

/** Waits for a step that is taken back by a job. @throws Error where it could not be */
async function settled(kind: StepUndo['kind'], { job, ...done }: InWords<StepUndone>): Promise<InWords<Omit<StepUndone, 'job'>>> {
  for (; job !== null; ) {
    const followed = await call('jobs.get', { id: job })
    const { state, message } = followed
    if (state === 'failed' || state === 'cancelled') throw new Error(message ?? 'That could not be taken back.')
    if (state === 'done') {
      const report = UNDOING.map((each) => reportOf(each, followed)).find((each) => each !== null)
      if (report == null) return done
      const left =
        report.changedSince === 0 ? [] : [{ what: counted(kind, report.changedSince), why: 'changed since, and left as they are' }]
      return { back: report.givenBack, left, moreLeft: 0 }
    }
    await new Promise((resolve) => setTimeout(resolve, POLL_MS))
  }
  return done
}

/** Takes a step back, whole, and says what came of it: also what could not be. @returns whether it was taken back */
export async function takeBack(step: StepUndo): Promise<boolean> {
  const told = toast.loading('Taking it back…')
  try {
    const { back, left, moreLeft } = await settled(step.kind, await call('steps.undo', { body: step }))
    const words = `Taken back: ${counted(step.kind, back)} as before.`
    if (left.length === 0) toast.success(words)
    else {
      const names = left.slice(0, 4).map(({ what, why }) => (what === '' ? why : `${what}: ${why}`))
      const more = left.length - names.length + moreLeft
      toast.warning(`${words} Left: ${names.join('; ')}${more > 0 ? `; and ${more} more` : ''}.`, { duration: UNDO_MS })
    }
    return true
  } catch (error) {
    toast.error(wordsOf(error))
    return false
  } finally {
    toast.dismiss(told)
  }
}

/** A step by its kind; null for none. */
export const stepOf = (kind: StepUndo['kind'], id: string | null): StepUndo | null => (id === null ? null : { kind, id })

/** Says what a step did, and offers to take it back, here and in the list of all of them. @param step - null where nothing was done */
export function toldStep(words: string, step: StepUndo | null, onBack?: () => void): void {
  if (step === null) return void toast.success(words)
  toast.success(words, {
    duration: UNDO_MS,
    action: { label: 'Undo', onClick: () => void takeBack(step).then((isBack) => isBack && onBack?.()) },
    cancel: { label: 'Changes made', onClick: () => location.assign(`/changes?kind=${step.kind}`) },
  })
}
