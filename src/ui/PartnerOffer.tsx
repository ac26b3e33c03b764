import { parseUrl, readableAddress } from '../core/address/index.ts'
import { useAsk } from './query.tsx'
import { useSettled } from './settled.ts'

const SETTLE_MS = 250

/** Offers the partner link for a page of a partner's, wherever an address is pasted. Nothing where it is none, or is our link already. */
export function PartnerOffer({ address, onTake }: { address: string; onTake: (address: string) => void }) {
  const settled = useSettled(address.trim(), SETTLE_MS)
  const host = /^https?:/i.test(settled) ? (parseUrl(settled)?.hostname ?? '') : ''
  const { data: partners } = useAsk('partners.list', {}, { enabled: host !== '', retry: false, staleTime: Number.POSITIVE_INFINITY })
  const isTheirs = partners?.items.some(({ sites }) => sites.some((site) => host === site || host.endsWith(`.${site}`))) ?? false
  const { data } = useAsk('partner-links.create', { body: { address: settled } }, { enabled: isTheirs, retry: false })
  if (!isTheirs || data === undefined || data.already || data.address === settled) return null
  return (
    <p className="mt-1" aria-live="polite">
      <button type="button" className="button !min-h-0 !py-0.5 font-normal" onClick={() => onTake(data.address)}>
        {data.otherAccount === null
          ? `A page of ${data.partner}: lead there with your number`
          : `A link of ${data.partner} with ${data.otherAccount}: put your number in its place`}
      </button>{' '}
      <span className="address text-ink-soft">{readableAddress(data.address.replace(/^https?:\/\//, ''))}</span>
    </p>
  )
}
