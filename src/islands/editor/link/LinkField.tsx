import { useQuery } from '@tanstack/react-query'
import { Upload } from 'lucide-react'
import { type ClipboardEvent, type KeyboardEvent, useEffect, useId, useRef, useState } from 'react'
import { toast } from 'sonner'
import type { Destination } from '../../../contract/destinations.ts'
import { titleOf } from '../../../contract/problems.ts'
import { type RepairedAddress, readableAddress, repair, type Surroundings } from '../../../core/address/index.ts'
import type { PartnerLinks } from '../../../core/partners/index.ts'
import type { CompiledSite } from '../../../core/rules/index.ts'
import { call, wordsOf } from '../../../ui/api.ts'
import { queries } from '../../../ui/query.tsx'
import { useSettled } from '../../../ui/settled.ts'
import { inWords, isTold } from '../../../words/index.ts'
import { upload } from './upload.ts'

interface LinkFieldProps {
  around: Surroundings
  site: CompiledSite
  path: string
  value: string
  /** Told of each change: what was typed, and the destination it stands for (null while it stands for none). */
  onChange: (typed: string, destination: string | null) => void
  onEnter: (destination: string | null) => void
  label: string
}

/** A list this young is taken for what was typed. */
const FOUND_MS = 2_000

/** What an address that was typed or pasted stands for; a refusal comes with its words, but only once it looks like an address. */
export function readDestination(
  text: string,
  around: Surroundings,
): { destination: string | null; repaired: RepairedAddress | null; refusal: string | null } {
  if (text.trim() === '') return { destination: null, repaired: null, refusal: null }
  const read = repair(text, around)
  if (read.ok) return { destination: read.value.address, repaired: read.value, refusal: null }
  const why = isTold(read.detail.why) ? ` It would lead nowhere: ${inWords(read.detail.why)}.` : ''
  const isWords = read.fault === 'address-unreadable' && !/[/:]/.test(text)
  return { destination: null, repaired: null, refusal: isWords ? null : inWords(titleOf(read.fault)) + why }
}

const KINDS: Readonly<Record<Destination['kind'], string>> = {
  'inside page': 'page',
  section: 'section',
  file: 'file',
  'short link': 'short link',
  redirect: 'old address, answered',
  partner: 'partner link',
}

const search = (words: string, path: string) => ({
  queryKey: ['destinations', words, path],
  queryFn: ({ signal }: { signal: AbortSignal }) => call('destinations.find', { query: { text: words, page: path } }, signal),
})

/**
 * One field for any destination. A pasted address is mended, told, and one key takes that back; words find pages, files,
 * short links and partners; "#" finds headings. The list is worked by keys alone.
 */
export function LinkField({ around, site, path, value, onChange, onEnter, label }: LinkFieldProps) {
  const id = useId()
  const [active, setActive] = useState(-1)
  const [isOpen, setOpen] = useState(false)
  /** What was pasted, and what it was mended to: so that one key goes back. */
  const pasted = useRef<{ readonly raw: string; readonly mended: string } | null>(null)
  const [told, setTold] = useState<string | null>(null)
  const [asPasted, setAsPasted] = useState<string | null>(null)
  const read =
    asPasted !== null && asPasted === value ? { destination: value, repaired: null, refusal: null } : readDestination(value, around)
  const { destination, repaired, refusal } = read
  const isAddress = destination !== null && /^[a-z]+:|^[/#]/i.test(destination) && !/^\/?[^:]*#\s*$/.test(value)
  const words = useSettled(isAddress && !value.startsWith('/') && !value.startsWith('#') ? '' : value.trim(), 120)
  const { data } = useQuery({ ...search(words, path), enabled: isOpen, placeholderData: (before) => before })
  const partners = site.partnerLinks
  const partnerOffer = offerPartnerLink(destination, partners)
  const newest = useRef(value)
  newest.current = value
  const items = !isOpen || (isAddress && !value.startsWith('/') && !value.startsWith('#')) ? [] : (data?.items ?? [])
  const take = (item: Destination): void => {
    setActive(-1)
    setOpen(false)
    if (item.kind !== 'section' || item.start === null) return onChange(item.address, item.address)
    void nameOf(item, path).then((address) => address !== null && onChange(address, address))
  }
  /** Enter may come before the list has caught up with what was typed: the best of what is meant now is taken. */
  const takeBest = async (): Promise<void> => {
    try {
      const { items: found } = await queries.fetchQuery({ ...search(value.trim(), path), staleTime: FOUND_MS })
      if (found[0] === undefined) onEnter(destination)
      else take(found[0])
    } catch (error) {
      toast.error(wordsOf(error))
    }
  }
  const onKey = (event: KeyboardEvent): void => {
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z' && pasted.current?.mended === value) {
      setAsPasted(pasted.current.raw)
      onChange(pasted.current.raw, pasted.current.raw)
      setTold('As it was pasted.')
      pasted.current = null
    } else if (event.key === 'ArrowDown' && items.length > 0) setActive(Math.min(active + 1, items.length - 1))
    else if (event.key === 'ArrowUp' && items.length > 0) setActive(Math.max(active - 1, -1))
    else if (event.key === 'Escape' && isOpen && items.length > 0) setOpen(false)
    else if (event.key === 'Enter') {
      const item = items[active]
      if (item !== undefined) take(item)
      else if (isAddress || value.trim() === '') onEnter(destination)
      else void takeBest()
    } else return
    event.preventDefault()
    event.stopPropagation()
  }
  /** A press on a button below the list must still find it there: the list gives way when the press is over. */
  const isPressed = useRef(false)
  useEffect(() => {
    const press = (): void => {
      isPressed.current = true
    }
    const release = (): void => {
      isPressed.current = false
    }
    addEventListener('pointerdown', press, true)
    addEventListener('pointerup', release, true)
    addEventListener('pointercancel', release, true)
    return () => {
      removeEventListener('pointerdown', press, true)
      removeEventListener('pointerup', release, true)
      removeEventListener('pointercancel', release, true)
    }
  }, [])
  const closeOnceReleased = (): void => {
    if (isPressed.current) addEventListener('pointerup', () => setTimeout(() => setOpen(false)), { once: true })
    else setOpen(false)
  }
  const onPaste = (event: ClipboardEvent<HTMLInputElement>): void => {
    const raw = event.clipboardData.getData('text/plain')
    const field = event.currentTarget
    const isWhole = field.selectionStart === 0 && field.selectionEnd === field.value.length
    const mended = readDestination(raw, around).repaired
    if (!isWhole || mended === null || mended.repairs.length === 0) return
    event.preventDefault()
    pasted.current = { raw: raw.trim(), mended: mended.address }
    setTold(`${mended.repairs.map(({ what }) => inWords(what)).join('. ')}.`)
    setAsPasted(null)
    onChange(mended.address, mended.address)
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
        aria-expanded={items.length > 0}
        aria-controls={`${id}-list`}
        aria-activedescendant={active >= 0 ? `${id}-item-${active}` : undefined}
        aria-describedby={`${id}-told`}
        placeholder="Paste an address, or type a title"
        autoComplete="off"
        spellCheck={false}
        value={value}
        data-link-field
        onFocus={() => setOpen(true)}
        onBlur={closeOnceReleased}
        onPaste={onPaste}
        onChange={(event) => {
          setActive(-1)
          setOpen(true)
          setTold(null)
          setAsPasted(null)
          onChange(event.target.value, readDestination(event.target.value, around).destination)
        }}
        onKeyDown={onKey}
      />
      <ul
        id={`${id}-list`}
        role="listbox"
        aria-label="Places found"
        className={items.length > 0 ? 'sheet mt-1 max-h-[280px] overflow-y-auto' : 'hidden'}
      >
        {items.map((item, i) => (
          // biome-ignore lint/a11y/useKeyWithClickEvents: the field's own keys choose in the list
          <li
            key={`${item.kind} ${item.address} ${item.start ?? ''}`}
            id={`${id}-item-${i}`}
            ref={(element) => {
              if (i === active) element?.scrollIntoView({ block: 'nearest' })
            }}
            role="option"
            aria-selected={i === active}
            tabIndex={-1}
            className={`cursor-pointer px-3 py-1.5 hover:bg-sun ${i === active ? 'bg-sun' : ''}`}
            onMouseDown={(event) => event.preventDefault()}
            onClick={() => take(item)}
          >
            <span className="flex items-baseline gap-2">
              <span className="min-w-0 flex-1 truncate font-semibold">{item.title}</span>
              <span className="note shrink-0">{KINDS[item.kind]}</span>
            </span>
            <span className="address block truncate text-ink-soft">{readableAddress(item.note)}</span>
          </li>
        ))}
      </ul>
      {value.trim() === '' && <UploadFile onDone={(address) => onChange(address, address)} />}
      <div id={`${id}-told`} aria-live="polite">
        {refusal !== null && <p className="mt-1 text-red">{refusal}</p>}
        {told !== null && (
          <p className="note mt-1">
            {told}{' '}
            {pasted.current !== null && (
              <span className="pointer-coarse:hidden">
                Press <kbd>Ctrl Z</kbd> to have it as you pasted it.
              </span>
            )}
          </p>
        )}
        {refusal === null && destination === null && value.trim() !== '' && items.length === 0 && data !== undefined && !isOpen && (
          <p className="mt-1 text-red">This is no address, and no page, file or short link is called so.</p>
        )}
        {told === null && repaired !== null && repaired.repairs.length > 0 && (
          <p className="note mt-1">
            {repaired.repairs.map(({ what }) => inWords(what)).join('. ')}:{' '}
            <span className="address text-ink">{readableAddress(repaired.address)}</span>
          </p>
        )}
        {repaired?.offers.map((offer) => (
          <Offer
            key={offer.what.tell}
            words={inWords(offer.what)}
            onTake={() => onChange(offer.to, readDestination(offer.to, around).destination)}
          />
        ))}
        {partnerOffer !== null && (
          <Offer
            words={`Make it our partner link (${partnerOffer.name})`}
            onTake={() => {
              onChange(partnerOffer.address, partnerOffer.address)
              // What comes of the place it hangs on is filled in as soon as the server has said it, unless something else stands there by then.
              if (partnerOffer.hasSub)
                void call('partner-links.create', { body: { address: destination ?? '', path } }).then(
                  (made) => newest.current === partnerOffer.address && onChange(made.address, made.address),
                  () => {},
                )
            }}
          />
        )}
      </div>
    </div>
  )
}

/** A file that is not on the site yet is sent there, and is the destination. */
function UploadFile({ onDone }: { onDone: (address: string) => void }) {
  const field = useRef<HTMLInputElement>(null)
  const [isSending, setSending] = useState(false)
  const send = async (file: File | undefined): Promise<void> => {
    if (file === undefined) return
    setSending(true)
    const made = await upload(file)
    setSending(false)
    if (made !== null) onDone(made.path)
  }
  return (
    <p className="mt-1">
      <input
        ref={field}
        type="file"
        className="hidden"
        tabIndex={-1}
        aria-label="A file to lead to"
        onChange={({ target }) => void send(target.files?.[0])}
      />
      <button
        type="button"
        className="button button-plain !min-h-0 !px-1 !py-0.5 text-[14px] font-normal"
        disabled={isSending}
        onClick={() => field.current?.click()}
      >
        <Upload size={14} aria-hidden="true" />
        {isSending ? 'Sending it…' : 'Or upload a file to lead to'}
      </button>
    </p>
  )
}

function Offer({ words, onTake }: { words: string; onTake: () => void }) {
  return (
    <p className="mt-1">
      <button type="button" className="button !min-h-0 !py-0.5 text-left !whitespace-normal font-normal" onClick={onTake}>
        {words}
      </button>
    </p>
  )
}

/** A page of a partner's without our number on it: the partner link for it is offered. */
function offerPartnerLink(destination: string | null, partners: PartnerLinks): { name: string; address: string; hasSub: boolean } | null {
  const built = destination === null || !/^https?:/.test(destination) ? null : partners.link(destination, '')
  if (built?.ok !== true || built.value.already) return null
  const { partner, address } = built.value
  return { name: partner.name, address, hasSub: partner.template.includes('{sub}') }
}

/** Gives a heading without a name one, and answers the address that leads to it. */
async function nameOf({ pageId, start, address }: Destination, path: string): Promise<string | null> {
  if (pageId === null || start === null) return null
  try {
    const { id } = await call('pages.nameSection', { id: pageId, body: { start } })
    return `${address === '' || address === path ? '' : address}#${encodeURIComponent(id)}`
  } catch (error) {
    toast.error(wordsOf(error))
    return null
  }
}
