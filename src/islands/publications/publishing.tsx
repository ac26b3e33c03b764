import { useMutation } from '@tanstack/react-query'
import { type ReactNode, useState } from 'react'
import { toast } from 'sonner'
import type { Publication, PublicationNew } from '../../contract/publications.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { settled } from '../../ui/saving.ts'
import { stepOf, toldStep } from '../../ui/steps.ts'
import { type Asked, needsAnswer, ReviewDialog } from './ReviewDialog.tsx'

/**
 * Publishing, wherever it is begun: what is shown is saved first; then what would happen is looked at, and asked about
 * where it is more than one's own work.
 * @returns how to begin, whether it is under way, and the question to show
 */
export function usePublishing(onPublished: (made: Publication) => void): {
  begin: (wanted: PublicationNew) => void
  isBusy: boolean
  question: ReactNode
} {
  const [asked, setAsked] = useState<Asked | null>(null)
  const publish = useMutation({
    mutationFn: (wanted: PublicationNew) => call('publications.create', { body: wanted }),
    onSuccess: (made) => {
      setAsked(null)
      onPublished(made)
    },
    onError: (problem) => toast.error(wordsOf(problem)),
  })
  const look = useMutation({
    mutationFn: async (wanted: PublicationNew) => {
      await settled()
      return { wanted, review: await call('publications.review', { body: wanted }) }
    },
    onSuccess: (found) => {
      if (needsAnswer(found.review)) setAsked(found)
      else publish.mutate(found.wanted)
    },
    onError: (problem) => toast.error(wordsOf(problem)),
  })
  const mark = useMutation({
    mutationFn: async ({ wanted, review }: Asked) => {
      const links = review.unmarked.map(({ pageId, ordinal, start }) => [pageId, ordinal, start] as [string, number, number])
      const done = await call('bulk-changes.make', {
        body: { selection: { links }, change: { do: 'tell', hints: ['sponsored', 'nofollow'] }, dryRun: false },
      })
      toldStep(`${done.links} ${done.links === 1 ? 'link is' : 'links are'} marked as paid.`, stepOf('links', done.id))
      return wanted
    },
    onSuccess: (wanted) => look.mutate(wanted),
    onError: (problem) => toast.error(wordsOf(problem)),
  })
  const isBusy = publish.isPending || look.isPending || mark.isPending
  return {
    begin: (wanted) => {
      if (!isBusy) look.mutate(wanted)
    },
    isBusy,
    question: asked && (
      <ReviewDialog
        asked={asked}
        isBusy={isBusy}
        onPublish={(wanted) => publish.mutate(wanted)}
        onMark={(these) => mark.mutate(these)}
        onClose={() => setAsked(null)}
      />
    ),
  }
}
