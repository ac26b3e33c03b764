import { useQuery } from '@tanstack/react-query'
import { type KeyboardEvent, useId, useState } from 'react'
import type { PageList } from '../../contract/pages.ts'
import { PROBLEMS } from '../../contract/problems.ts'
import { type RepairedAddress, repair, type Surroundings } from '../../core/address/index.ts'
import { ask } from '../../ui/api.ts'
import { useSettled } from '../../ui/settled.ts'

interface LinkFieldProps {
  around: Surroundings
  value: string
  /** Told of each change: what was typed, and the destination it stands for (null while it stands for none). */
  onChange: (typed: string, destination: string | null) => void
  onEnter: () => void
  label: string
}

const PAGES_OFFERED = 6

/** What an address that was typed or pasted stands for; a refusal comes with its words, but only once it looks like an address. */
export function readDestination(
  text: string,
  around: Surroundings,
): { destination: string | null; repaired: RepairedAddress | null; refusal: string | null } {
  if (text.trim() === '') return { destination: null, repaired: null, refusal: null }
  const read = repair(text, around)
  if (read.ok) return { destination: read.value.address, repaired: read.value, refusal: null }
  const why = typeof read.detail.why === 'string' ? ` It would lead nowhere: ${read.detail.why}.` : ''
  const isWords = read.fault === 'address-unreadable' && !/[/:]/.test(text)
  return { destination: null, repaired: null, refusal: isWords ? null : PROBLEMS[read.fault][1] + why }
}

/** One field for a destination: a pasted address is mended and told; words find inside pages by title. */
export function LinkField({ around, value, onChange, onEnter, label }: LinkFieldProps) {
  const id = useId()
  const [active, setActive] = useState(-1)
  const { destination, repaired, refusal } = readDestination(value, around)
  const isAddress = destination !== null && /^[a-z]+:|^[/#]/i.test(destination)
  const words = useSettled(isAddress ? '' : value.trim(), 150)
  const { data } = useQuery({
    queryKey: ['find-pages', words],
    queryFn: ({ signal }) => ask<PageList>('GET', `/pages?limit=${PAGES_OFFERED}&search=${encodeURIComponent(words)}`, undefined, signal),
    enabled: words !== '',
  })
  const pages = words === '' || isAddress ? [] : (data?.items ?? [])
  const take = (path: string): void => {
    setActive(-1)
    onChange(path, path)
  }
  const onKey = (event: KeyboardEvent): void => {
    if (event.key === 'ArrowDown' && pages.length > 0) setActive(Math.min(active + 1, pages.length - 1))
    else if (event.key === 'ArrowUp' && pages.length > 0) setActive(Math.max(active - 1, -1))
    else if (event.key === 'Enter') {
      const page = pages[active] ?? (destination === null ? pages[0] : undefined)
      if (page !== undefined) take(page.path)
      else onEnter()
    } else return
    event.preventDefault()
  }
  return (
    <div>
      <label className="field-label" htmlFor={id}>
        {label}
      </label>
      <input
        id={id}
        className="field address"
        role="combobox"
        aria-expanded={pages.length > 0}
        aria-controls={`${id}-pages`}
        aria-activedescendant={active >= 0 ? `${id}-page-${active}` : undefined}
        aria-describedby={`${id}-told`}
        placeholder="Paste an address, or find a page by its title"
        autoComplete="off"
        spellCheck={false}
        value={value}
        data-link-field
        onChange={(event) => {
          setActive(-1)
          onChange(event.target.value, readDestination(event.target.value, around).destination)
        }}
        onKeyDown={onKey}
      />
      <ul id={`${id}-pages`} role="listbox" aria-label="Pages found" className={pages.length > 0 ? 'sheet mt-1 overflow-hidden' : 'hidden'}>
        {pages.map((page, i) => (
          // biome-ignore lint/a11y/useKeyWithClickEvents: the field's own keys choose in the list
          <li
            key={page.id}
            id={`${id}-page-${i}`}
            role="option"
            aria-selected={i === active}
            tabIndex={-1}
            className={`cursor-pointer px-3 py-1.5 hover:bg-sun ${i === active ? 'bg-sun' : ''}`}
            onClick={() => take(page.path)}
          >
            <span className="block truncate font-semibold">{page.title}</span>
            <span className="address block truncate text-ink-soft">{page.path}</span>
          </li>
        ))}
      </ul>
      <div id={`${id}-told`} aria-live="polite">
        {refusal !== null && <p className="mt-1 text-red">{refusal}</p>}
        {repaired !== null && repaired.repairs.length > 0 && (
          <p className="note mt-1">
            {repaired.repairs.map(({ what }) => what).join('. ')}: <span className="address text-ink">{repaired.address}</span>
          </p>
        )}
        {repaired?.offers.map((offer) => (
          <p key={offer.what} className="mt-1">
            <button
              type="button"
              className="button !min-h-0 !py-0.5 text-left !whitespace-normal font-normal"
              onClick={() => onChange(offer.to, readDestination(offer.to, around).destination)}
            >
              {offer.what}
            </button>
          </p>
        ))}
      </div>
    </div>
  )
}
