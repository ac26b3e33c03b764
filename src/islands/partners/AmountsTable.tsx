import type { ReactNode } from 'react'

/** A table of amounts: what it is of on the left, and what can be compared on the right. It scrolls sideways where it must. */
export function AmountsTable({
  label,
  heads,
  children,
}: {
  label: string
  heads: readonly (readonly [words: string, isAmount: boolean])[]
  children: ReactNode
}) {
  return (
    <section className="overflow-x-auto" tabIndex={0} aria-label={label}>
      <table className="sheet w-full border-separate border-spacing-0 text-[14px] tabular-nums [&_td]:border-t [&_td]:px-3 [&_td]:py-2 [&_th]:px-3 [&_th]:py-2 [&_th]:text-left [&_th]:font-semibold">
        <thead>
          <tr>
            {heads.map(([words, isAmount]) => (
              <th key={words} scope="col" className={isAmount ? '!text-right' : ''}>
                {words}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>{children}</tbody>
      </table>
    </section>
  )
}

/** A cell of it. */
export const Amount = ({ children }: { children: ReactNode }) => <td className="text-right whitespace-nowrap">{children}</td>
