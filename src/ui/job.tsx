import { useMutation } from '@tanstack/react-query'
import type { Job } from '../contract/jobs.ts'
import type { InWords } from '../words/index.ts'
import { call } from './api.ts'
import { useAsk } from './query.tsx'

const POLL_MS = 400

/**
 * A job that is followed to its end.
 * @param id - null until it is begun
 * @param isSoon - the id was chosen here: its job begins by itself, and may not be there yet
 */
export function useJob(id: string | null, isSoon = false) {
  const { data: job, error } = useAsk(
    'jobs.get',
    { id: id ?? '', ...(isSoon ? { query: { soon: '1' as const } } : {}) },
    {
      enabled: id !== null,
      retry: false,
      refetchInterval: ({ state }) => (state.data === undefined || isUnderWay(state.data) ? POLL_MS : false),
    },
  )
  const stop = useMutation({ mutationFn: () => call('jobs.cancel', { id: id ?? '' }) })
  return {
    job,
    error,
    isRunning: id !== null && (job === undefined || isUnderWay(job)),
    stop: () => stop.mutate(),
    isStopping: !stop.isIdle,
  }
}

const isUnderWay = ({ state }: Job): boolean => state === 'waiting' || state === 'running'

/** How far a job is, and a way to stop it. @param words - what is said of its progress; before it has begun `beginning` */
export function JobProgress({
  job,
  words,
  beginning = 'Beginning…',
  onStop,
}: {
  job: InWords<Job> | undefined
  words: (job: Job) => string
  beginning?: string
  /** Null where it cannot be stopped now. */
  onStop: (() => void) | null
}) {
  return (
    <div className="grid gap-2">
      <p role="status">{job === undefined || job.total === 0 ? beginning : words(job)}</p>
      <div className="flex items-center gap-3">
        <progress className="h-3 flex-1 accent-[var(--sea)]" max={job?.total || 1} value={job?.done ?? 0} aria-label="Progress" />
        <button type="button" className="button" disabled={onStop === null} onClick={() => onStop?.()}>
          Stop
        </button>
      </div>
    </div>
  )
}

/** Why a job came to no report, and a way to begin again. Nothing while it is under way, or has one. */
export function JobStopped({ job, onAgain }: { job: InWords<Job> | undefined; onAgain: () => void }) {
  if (job?.state !== 'failed' && job?.state !== 'cancelled') return null
  return (
    <div className="grid gap-4 py-4">
      <p role="alert" className={job.state === 'failed' ? 'text-red' : ''}>
        {job.message ?? 'Stopped before anything was changed.'}
      </p>
      <p>
        <button type="button" className="button" onClick={onAgain}>
          Choose again
        </button>
      </p>
    </div>
  )
}
