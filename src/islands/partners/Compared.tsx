import type { ComparedPartner } from '../../contract/partners.ts'
import { addressOf } from '../../ui/api.ts'
import { type InWords, number } from '../../words/index.ts'
import { AmountsTable } from './AmountsTable.tsx'
import { dayWords, money } from './words.ts'

/** All partners in one table. */
export function Compared({ items, onChoose }: { items: readonly InWords<ComparedPartner>[]; onChoose: (id: string) => void }) {
  return (
    <>
      <AmountsTable
        label="Partners side by side"
        heads={[
          ['Partner', false],
          ['Pays', false],
          ['Remembers', false],
          ['Clicks', true],
          ['Orders', true],
          ['EPC', true],
          ['Pending', true],
          ['Confirmed', true],
          ['Pay day', false],
          ['Links', true],
        ]}
      >
        {items.map(({ partner, pays, earned, clicks, epc, payDay, links, shortLinks, reminders }) => {
          const main = earned.find(({ currency }) => currency === partner.currency)
          const others = earned.filter(({ currency }) => currency !== partner.currency)
          return (
            <tr key={partner.id}>
              <th scope="row" className="border-t">
                <button type="button" className="text-left underline" onClick={() => onChoose(partner.id)}>
                  {partner.name}
                </button>
                {reminders[0] !== undefined && (
                  <span className={`block text-[13px] font-normal ${reminders[0].what === 'threshold reached' ? 'text-sea' : 'text-red'}`}>
                    {reminders[0].words}
                  </span>
                )}
              </th>
              <td>{partner.isNetwork ? 'a network' : pays}</td>
              <td className="whitespace-nowrap">{partner.cookieDays === null ? '–' : `${partner.cookieDays} days`}</td>
              <td className="text-right">{number(clicks)}</td>
              <td className="text-right">{main?.orders ?? '–'}</td>
              <td className="text-right whitespace-nowrap">{epc === null ? '–' : money(epc, partner.currency)}</td>
              <td className="text-right whitespace-nowrap">
                {main === undefined ? '–' : money(main.pending, partner.currency)}
                {others.map((each) => (
                  <span key={each.currency} className="block text-ink-soft">
                    {money(each.pending, each.currency)}
                  </span>
                ))}
              </td>
              <td className="text-right whitespace-nowrap">{main === undefined ? '–' : money(main.confirmed, partner.currency)}</td>
              <td className="whitespace-nowrap">{payDay === null ? '–' : dayWords(payDay)}</td>
              <td className="text-right">{links + shortLinks}</td>
            </tr>
          )
        })}
      </AmountsTable>
      <p className="note mt-3">
        Clicks are those on short links and redirects to them; EPC (earned a click) is what came in for each. Amounts of different
        currencies are never added.{' '}
        <a href={addressOf('partners.csv', {})} download>
          Download as CSV
        </a>
        , without log-ins.
      </p>
    </>
  )
}
