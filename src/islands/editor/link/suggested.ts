import { useMutation } from '@tanstack/react-query'
import { useMemo } from 'react'
import { toast } from 'sonner'
import type { PagePhrases, Suggested } from '../../../contract/phrases.ts'
import { wrapLink } from '../../../core/markup/index.ts'
import { BY_HAND } from '../../../core/rules/index.ts'
import { call, wordsOf } from '../../../ui/api.ts'
import { useAsk } from '../../../ui/query.tsx'
import type { InWords } from '../../../words/index.ts'
import { applyTo, type PanelProps } from './panel.tsx'

/** Phrases of a page that would be worth a link, and how one is linked. */
export interface SuggestedLinks {
  readonly items: readonly InWords<Suggested>[]
  readonly room: PagePhrases['room'] | undefined
  readonly isBusy: boolean
  link(suggested: Suggested): void
}

/** What was found in the page as it was saved fits only where the same words still stand there. */
const isStill = (text: string, { from, to, sentence }: Suggested): boolean =>
  text
    .slice(from, to)
    .replace(/<[^>]*>/g, '')
    .replace(/\s+/g, ' ') === sentence.words

/** @param pageId - of a page that may be looked through for phrases */
export function useSuggested({
  pageId,
  analysis,
  draft,
  path,
  site,
}: Pick<PanelProps, 'pageId' | 'analysis' | 'draft' | 'path' | 'site'>): SuggestedLinks {
  const { text } = analysis
  const partners = site.partnerLinks
  const { data } = useAsk('phrases.ofPage', { id: pageId })
  const items = useMemo(() => (data?.chosen ?? []).filter((each) => isStill(text, each)), [data, text])
  const link = useMutation({
    mutationFn: async ({ from, to, leadsTo }: Suggested) => {
      const isTheirs = partners.partnerOf(leadsTo) !== null
      const href = isTheirs ? (await call('partner-links.create', { body: { address: leadsTo, path } })).address : leadsTo
      applyTo(draft, analysis, wrapLink(text, from, to, { href, [BY_HAND]: '' }))
    },
    onError: (failure) => toast.error(wordsOf(failure)),
  })
  return { items, room: data?.room, isBusy: link.isPending, link: (each) => link.mutate(each) }
}
