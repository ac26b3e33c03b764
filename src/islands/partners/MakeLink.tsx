import { useQuery } from '@tanstack/react-query'
import type { Partner } from '../../contract/partners.ts'
import { readableAddress } from '../../core/address/index.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { CopyButton } from '../../ui/CopyButton.tsx'
import { useSettled } from '../../ui/settled.ts'
import { TextField } from '../../ui/TextField.tsx'
import { useKeptText } from '../../ui/unsaved.ts'

const SETTLE_MS = 250

/** Any page of theirs, pasted: the partner link for it. */
export function MakeLink({ partner }: { partner: Partner }) {
  const [address, setAddress] = useKeptText(`page of ${partner.id}`)
  const settled = useSettled(address.trim(), SETTLE_MS)
  const made = useQuery({
    queryKey: ['partner-link', partner.id, partner.version, settled],
    queryFn: () => call('partner-links.create', { body: { address: settled } }),
    enabled: settled !== '',
    retry: false,
  })
  return (
    <section aria-label="Make a link" className="sheet mt-3 px-4 py-3">
      <h3 className="mb-1.5 text-[17px]">
        Make a link <span className="note font-text font-normal">paste any page of theirs</span>
      </h3>
      <TextField
        label="Page of theirs"
        value={address}
        onChange={setAddress}
        isAddress
        placeholder={`https://${partner.sites[0] ?? 'shop.example'}/…`}
      />
      {settled !== '' && made.error !== null && (
        <p role="alert" className="mt-2 text-red">
          {wordsOf(made.error)}
        </p>
      )}
      {made.data !== undefined && settled !== '' && (
        <div className="mt-2 flex items-start gap-3" aria-live="polite">
          <p className="min-w-0 flex-1">
            <span className="address">{readableAddress(made.data.address)}</span>
            <span className="note block">
              {made.data.already
                ? partner.template === ''
                  ? 'Their plain address counts; nothing is added.'
                  : 'It is your link already.'
                : made.data.otherAccount === null
                  ? `With your number ${partner.account}.`
                  : `With your number in place of ${made.data.otherAccount}.`}
              {made.data.partnerId !== partner.id && ` It is a page of ${made.data.partner}.`}
              {partner.template.includes('{sub}') && !made.data.already && ' On a page, its sub-ID is filled in from where it hangs.'}
            </span>
          </p>
          <CopyButton address={made.data.address} />
        </div>
      )}
      {settled === '' && (
        <p className="note mt-1.5">
          {partner.account === '' ? (
            'Your number with them is not set yet.'
          ) : (
            <>
              your number <b className="font-semibold">{partner.account}</b>
            </>
          )}
        </p>
      )}
    </section>
  )
}
