import { call } from './api.ts'
import { useAsk } from './query.tsx'
import { useSettled } from './settled.ts'

const TYPED_MS = 350

const sentence = (addresses: readonly string[]): string =>
  `There is no page at ${addresses.join(', ')}: visitors who are sent there find nothing.`

/** Says beside an address field that nothing is there, where that is so. What is not of the site is not looked at. */
export function LandingNote({ address }: { address: string }) {
  const wanted = useSettled(address.trim(), TYPED_MS)
  const { data } = useAsk('addresses.landing', { body: { addresses: [wanted] } }, { enabled: wanted !== '', retry: false })
  const isNowhere = wanted === address.trim() && data !== undefined && data.nowhere.length > 0
  return (
    <p role="status" className={isNowhere ? 'mt-1 text-[14px] text-red' : 'sr-only'}>
      {isNowhere ? sentence([wanted]) : ''}
    </p>
  )
}

/** The same once something was saved; null where everything that was named is there, or cannot be asked. */
export async function nowhereAmong(addresses: readonly string[]): Promise<string | null> {
  const wanted = addresses.map((each) => each.trim()).filter((each) => each !== '')
  if (wanted.length === 0) return null
  const { nowhere } = await call('addresses.landing', { body: { addresses: wanted } }).catch(() => ({ nowhere: [] }))
  return nowhere.length === 0 ? null : sentence(nowhere)
}
