/** Why a link goes out as it does, and rules to begin with. */
export const rules = {
  'because.sponsor': ({ partner }: { partner: string }) => `the page is written for ${partner}`,
  'because.queue': 'it waits for an editor',
  'because.lowest': 'links to partners are paid',
  'because.hand': 'set by hand',
  'because.source': 'as it was written',
  'decided.hints': 'what search engines are told',
  'decided.opens': 'how it opens',
  'decided.referrer': 'referrer policy',
  'decided.mark': 'mark behind the words',
  'decided.spoken': 'said aloud',
  'beginning.paid': 'Partners’ sites are paid',
  'beginning.new-tab': 'Outside links open a new tab',
  'beginning.same-tab': 'Inside links stay in the tab',
  'beginning.careful':
    'Outside links open a new tab and say so, inside links stay. Links to partners stay marked as paid, and what you set by hand stays.',
  'beginning.strict':
    'Paid links are always marked, also over what was set by hand; no other site is vouched for, none learns where readers came from, and outside links open a new tab.',
  'beginning.not-vouched': 'Other sites are not vouched for',
  'because.rule': ({ number, name }: { number: number; name: string }) => `rule ${number}: ${name}`,
  'because.token': ({ token, why }: { token: string; why: string }) => `${token}: ${why}`,
  'because.all': ({ each }: { each: readonly string[] }) => each.join('; '),
  'decided.noopener': 'noopener',
  'decided.noreferrer': 'noreferrer',
  'decided.title': 'title',
} as const
