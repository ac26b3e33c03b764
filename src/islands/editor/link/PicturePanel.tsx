import { useId, useRef, useState } from 'react'
import { toast } from 'sonner'
import { type AttributeChanges, type Picture, scanPictures, tagPatches, unwrapLink, valueNamed } from '../../../core/markup/index.ts'
import { NumberField } from '../../../ui/NumberField.tsx'
import { answersOn, type Choice, changeLink, makeLink } from '../choice.ts'
import { FullRope } from './FullRope.tsx'
import { LinkField } from './LinkField.tsx'
import { applyTo, DestinationField, type PanelProps, useLeaving } from './panel.tsx'
import { Questions } from './Questions.tsx'
import { upload } from './upload.ts'

const PLACES = ['in the line', 'left', 'centre', 'right'] as const
type Place = (typeof PLACES)[number]
const STYLES: Readonly<Record<Place, Readonly<Record<string, string>>>> = {
  'in the line': {},
  left: { float: 'left', margin: '0 1em .5em 0' },
  centre: { display: 'block', margin: '0 auto' },
  right: { float: 'right', margin: '0 0 .5em 1em' },
}

/** A picture of the page: what it shows to those who do not see it, its size and place, its file, and its link. */
export function PicturePanel(props: PanelProps & { choice: Extract<Choice, { kind: 'picture' }>; picture: Picture }) {
  const { picture, analysis, draft, canEdit, choice, path, site, onChoose } = props
  const { text } = analysis
  const id = useId()
  const file = useRef<HTMLInputElement>(null)
  const [alt, setAlt] = useState(picture.alt ?? '')
  const value = (name: string): string => valueNamed(text, picture.attributes, name) ?? ''
  /** The picture stays chosen, whatever changes in front of it. */
  const hold = (isDone: boolean): boolean => {
    const now = scanPictures(draft.state.text)[analysis.pictures.indexOf(picture)]
    if (isDone && now !== undefined) onChoose({ kind: 'picture', start: now.start })
    return isDone
  }
  const set = (changes: AttributeChanges): boolean => hold(draft.changeFrom(text, tagPatches(text, picture, changes)))
  const style = value('style')
  const chosen = analysis.delivered.find(({ link }) => link.start === picture.link?.start)
  const isDecoration = picture.alt === ''
  const replace = async (chosenFile: File | undefined): Promise<void> => {
    const made = chosenFile === undefined ? null : await upload(chosenFile)
    if (made !== null) set({ src: made.path, srcset: null })
  }
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-4">
      <h2 className="text-[18px]">Picture</h2>
      <p className="address text-ink-soft">{picture.src}</p>
      <div>
        <label className="field-label" htmlFor={`${id}-alt`}>
          What it shows, in words
        </label>
        <textarea
          id={`${id}-alt`}
          className="field"
          rows={2}
          value={alt}
          data-alt-field
          disabled={!canEdit}
          aria-describedby={`${id}-alt-note`}
          onChange={(event) => setAlt(event.target.value)}
          onBlur={() => alt !== (picture.alt ?? '') && set({ alt })}
        />
        <p id={`${id}-alt-note`} className={`mt-1 text-[13.5px] ${picture.alt === null ? 'text-red' : 'text-ink-soft'}`}>
          {picture.alt === null
            ? 'Nothing is said for readers who do not see it.'
            : picture.link !== null && isDecoration
              ? 'A picture that links needs words: they are the link’s name.'
              : 'Read aloud in place of the picture.'}
        </p>
        <label className="mt-1 flex items-center gap-2 text-[14px]">
          <input
            type="checkbox"
            checked={isDecoration}
            disabled={!canEdit}
            onChange={(event) => set({ alt: event.target.checked ? '' : alt || null })}
          />
          It is decoration: nothing to say
        </label>
      </div>
      <fieldset disabled={!canEdit}>
        <legend className="field-label">Place</legend>
        <div className="grid grid-cols-4 gap-1.5">
          {PLACES.map((place) => (
            <button
              key={place}
              type="button"
              aria-pressed={placeOf(style) === place}
              className="sheet px-1 py-1.5 text-[13.5px] aria-pressed:border-ink aria-pressed:font-semibold"
              onClick={() => set({ style: styleFor(style, place) })}
            >
              {place}
            </button>
          ))}
        </div>
      </fieldset>
      <div className="grid grid-cols-2 gap-2.5">
        {(['width', 'height'] as const).map((name) => (
          <Pixels
            key={`${name} ${value(name)}`}
            label={name === 'width' ? 'Width' : 'Height'}
            value={value(name)}
            isOff={!canEdit}
            onSet={(next) => set({ [name]: next === '' ? null : next })}
          />
        ))}
      </div>
      {canEdit && (
        <p>
          <input
            ref={file}
            type="file"
            accept="image/*"
            className="hidden"
            aria-label="Another picture"
            onChange={(event) => void replace(event.target.files?.[0])}
          />
          <button type="button" className="button" onClick={() => file.current?.click()}>
            Put another picture here
          </button>
        </p>
      )}
      <section className="grid gap-3 border-t pt-4">
        <h3 className="text-[16px]">{chosen === undefined ? 'Link the picture' : 'Its link'}</h3>
        {chosen === undefined ? (
          canEdit && <NewPictureLink {...props} choice={choice} />
        ) : (
          <>
            {isOwnLargeCopy(chosen.link.href, picture.src) && (
              <p className="note">It leads to its own large copy. Give it another destination, or take the link off.</p>
            )}
            <FullRope words={picture.alt ?? ''} facts={chosen.facts} decision={chosen.decision} site={site} />
            {canEdit && (
              <DestinationField chosen={chosen} analysis={analysis} draft={draft} path={path} site={site} onChanged={() => hold(true)} />
            )}
            <Questions
              decision={chosen.decision}
              answers={answersOn(text, chosen)}
              isReadOnly={!canEdit}
              onAnswer={(next) => hold(applyTo(draft, analysis, changeLink(text, chosen, { answers: next })))}
            />
            {canEdit && (
              <p>
                <button
                  type="button"
                  className="button"
                  onClick={() => hold(applyTo(draft, analysis, unwrapLink(text, chosen.link.start)))}
                >
                  Take the link off
                </button>
              </p>
            )}
          </>
        )}
      </section>
    </div>
  )
}

function NewPictureLink({ choice, analysis, draft, path, site }: PanelProps & { choice: Extract<Choice, { kind: 'picture' }> }) {
  const [field, setField] = useState<{ typed: string; destination: string | null }>({ typed: '', destination: null })
  const make = (destination: string | null): void => {
    if (destination === null || !applyTo(draft, analysis, makeLink(analysis.text, choice, destination, {}))) return
    isDone.current = true
    // A picture that links needs words: they are asked for at once.
    const alt = document.querySelector<HTMLTextAreaElement>('[data-alt-field]')
    if (alt?.value.trim() === '') alt.focus()
  }
  const isDone = useRef(false)
  useLeaving(() => {
    if (!isDone.current && field.typed.trim() !== '') toast('The picture was not linked.', { id: 'half made' })
  })
  return (
    <>
      <LinkField
        label="Where does it lead?"
        around={site.around(path)}
        site={site}
        path={path}
        value={field.typed}
        onChange={(typed, destination) => setField({ typed, destination })}
        onEnter={make}
      />
      <p>
        <button type="button" className="button button-main" disabled={field.destination === null} onClick={() => make(field.destination)}>
          Link the picture
        </button>
      </p>
    </>
  )
}

function Pixels({ label, value, isOff, onSet }: { label: string; value: string; isOff: boolean; onSet: (value: string) => void }) {
  const written = /^\d+$/.test(value) ? Number(value) : null
  const [pixels, setPixels] = useState(written)
  return (
    <NumberField
      label={`${label}, pixels`}
      unit="pixels"
      least={1}
      most={99_999}
      empty="as it is"
      isOff={isOff}
      value={pixels}
      onChange={setPixels}
      onDone={(next) => next !== written && onSet(next === null ? '' : String(next))}
    />
  )
}

const declarations = (style: string): [string, string][] =>
  style
    .split(';')
    .map((each) => each.split(':').map((part) => part.trim()))
    .flatMap(([name, ...rest]) => (name === undefined || name === '' ? [] : [[name.toLowerCase(), rest.join(':')] as [string, string]]))

function placeOf(style: string): Place {
  const set = new Map(declarations(style))
  if (set.get('float') === 'left') return 'left'
  if (set.get('float') === 'right') return 'right'
  return set.get('display') === 'block' && (set.get('margin') ?? '').includes('auto') ? 'centre' : 'in the line'
}

/** The style with another place; what it says of anything else stays. */
function styleFor(style: string, place: Place): string | null {
  const kept = declarations(style).filter(([name]) => !['float', 'margin', 'display'].includes(name))
  const all = [...kept, ...Object.entries(STYLES[place])]
  return all.length === 0 ? null : all.map(([name, value]) => `${name}: ${value}`).join('; ')
}

/** Blogs link pictures to their own large copies: the same file, perhaps with another size in its name. */
function isOwnLargeCopy(href: string, src: string): boolean {
  const stem = (address: string): string =>
    (address.split(/[?#]/)[0] ?? '')
      .replace(/^.*\//, '')
      .replace(/\.[a-z0-9]+$/i, '')
      .replace(/[-_](?:\d+x\d+|small|thumb|medium|large|scaled)$/i, '')
  return /\.(?:png|jpe?g|gif|webp|avif|svg)(?:[?#]|$)/i.test(href) && stem(href) === stem(src)
}
