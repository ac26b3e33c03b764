import type { Partner } from '../../contract/partners.ts'
import { Either } from '../../ui/Either.tsx'

const names = (partners: readonly Partner[]): string => {
  const [shown, more] = [partners.slice(0, NAMED_MAX).map(({ name }) => name), partners.length - NAMED_MAX]
  return more > 0 ? `${shown.join(', ')} and ${more} more` : shown.join(', ')
}
const NAMED_MAX = 6

/** What holds below all rules: links to partners are paid, unless the site or a partner says otherwise. */
export function Lowest({
  partnersArePaid,
  partners,
  canChange,
  decides,
  onChange,
}: {
  partnersArePaid: boolean
  partners: readonly Partner[]
  /** An owner's to say. */
  canChange: boolean
  /** For how many links it decides; null where nobody has looked. */
  decides: number | null
  onChange: (partnersArePaid: boolean) => void
}) {
  const others = partners.filter(({ isPaid }) => isPaid !== null && isPaid !== partnersArePaid)
  const followers = partners.filter((partner) => !others.includes(partner))
  return (
    <section aria-labelledby="lowest" className="mt-2 border-t pt-4">
      <h2 id="lowest" className="mb-2 text-[18px]">
        Where nothing else speaks
      </h2>
      <div className="flex flex-wrap items-start gap-x-4 gap-y-2.5 rounded-lg border border-dashed px-4 py-3">
        <div className="min-w-[260px] flex-1">
          <b className="block font-semibold">Links to partners are {partnersArePaid ? 'paid' : 'not paid'}</b>
          <p className="text-ink-soft">
            {partnersArePaid ? (
              <>
                Search engines are told so: <code>sponsored nofollow</code>.
              </>
            ) : (
              'They go out as they were written.'
            )}{' '}
            {followers.length > 0 && `That is ${names(followers)}.`}
            {decides !== null && partnersArePaid && ` It decides for ${decides} ${decides === 1 ? 'link' : 'links'}.`}
          </p>
          {others.length > 0 && (
            <p className="text-ink-soft">
              For {names(others)} it is set otherwise: {partnersArePaid ? 'not paid' : 'paid'}.
            </p>
          )}
          <p className="mt-1">
            <a className="underline" href="/partners">
              Partners
            </a>
            <span className="text-ink-soft"> has who they are, and what each says for itself.</span>
          </p>
        </div>
        {canChange ? (
          <Either
            label="Links to partners"
            value={partnersArePaid ? 'paid' : 'not'}
            options={[
              ['paid', 'Paid'],
              ['not', 'Not paid'],
            ]}
            onChange={(value) => onChange(value === 'paid')}
          />
        ) : (
          <span className="note">An owner can change this.</span>
        )}
      </div>
      <p className="note mt-2">All other links go out as they were written.</p>
    </section>
  )
}
