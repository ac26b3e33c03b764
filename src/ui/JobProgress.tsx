import { useMutation, useQuery } from '@tanstack/react-query'
import type { Job } from '../contract/imports.ts'
import { ask } from './api.ts'

const POLL_MS = 400

/** How far a call is that works under a job of this id, and a way to stop it. Until it has begun there is nothing to show. */
export function JobProgress({ id, of }: { id: string; of: string }) {
  const { data: job } = useQuery({
    queryKey: ['job', id],
    queryFn: ({ signal }) => ask<Job>('GET', `/jobs/${id}`, undefined, signal),
    retry: false,
    refetchInterval: POLL_MS,
  })
  const stop = useMutation({ mutationFn: () => ask<Job>('DELETE', `/jobs/${id}`) })
  return (
    <div className="grid gap-2">
      <p role="status">
        {job === undefined || job.total === 0
          ? 'Beginning…'
          : `${job.done.toLocaleString('en')} of ${job.total.toLocaleString('en')} ${of} looked at`}
      </p>
      <div className="flex items-center gap-3">
        <progress className="h-3 flex-1 accent-[var(--sea)]" max={job?.total || 1} value={job?.done ?? 0} aria-label="Progress" />
        <button
          type="button"
          className="button"
          disabled={job === undefined || stop.isPending || stop.isSuccess}
          onClick={() => stop.mutate()}
        >
          Stop
        </button>
      </div>
    </div>
  )
}
