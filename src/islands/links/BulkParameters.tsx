import { useState } from 'react'
import type { BulkChangeBody } from '../../contract/bulk-changes.ts'
import { TextField } from '../../ui/TextField.tsx'

export const isComplete = (change: BulkChangeBody): boolean =>
  change.do === 'lead to'
    ? change.address.trim() !== ''
    : change.do === 'replace'
      ? change.find !== ''
      : change.do !== 'tag' || change.add.length + change.remove.length > 0

export function Parameters({ change, onChange }: { change: BulkChangeBody; onChange: (change: BulkChangeBody) => void }) {
  if (change.do === 'lead to' || change.do === 'replace') {
    return (
      <div className="grid gap-3">
        <fieldset className="flex flex-wrap gap-x-5 gap-y-1">
          <legend className="sr-only">How</legend>
          <Way words="One destination for all" isOn={change.do === 'lead to'} onClick={() => onChange({ do: 'lead to', address: '' })} />
          <Way
            words="Find and replace in the addresses"
            isOn={change.do === 'replace'}
            onClick={() => onChange({ do: 'replace', find: '', put: '' })}
          />
        </fieldset>
        {change.do === 'lead to' ? (
          <TextField
            isAddress
            label="Where do they lead?"
            value={change.address}
            placeholder="https://… or /a-page-of-ours.html"
            onChange={(address) => onChange({ do: 'lead to', address })}
          />
        ) : (
          <div className="grid grid-cols-2 gap-3 max-md:grid-cols-1">
            <TextField
              isAddress
              label="Find"
              value={change.find}
              placeholder="?ref=old"
              onChange={(find) => onChange({ ...change, find })}
            />
            <TextField
              isAddress
              label="Put in its place"
              value={change.put}
              placeholder="?ref=new"
              onChange={(put) => onChange({ ...change, put })}
            />
          </div>
        )}
        <p className="note">Addresses are repaired as they are when you paste one.</p>
      </div>
    )
  }
  if (change.do === 'open')
    return (
      <fieldset className="flex flex-wrap gap-x-5 gap-y-1">
        <legend className="field-label">They open</legend>
        {(
          [
            ['in a new tab', 'new tab'],
            ['in the same tab', 'same tab'],
            ['as the rules say', null],
          ] as const
        ).map(([words, opens]) => (
          <Way key={words} words={words} isOn={change.opens === opens} onClick={() => onChange({ do: 'open', opens })} />
        ))}
      </fieldset>
    )
  if (change.do === 'tell')
    return (
      <fieldset className="flex flex-wrap gap-x-5 gap-y-1">
        <legend className="field-label">Search engines are told</legend>
        {(
          [
            ['it is paid (sponsored nofollow)', ['sponsored', 'nofollow']],
            ['we do not vouch (nofollow)', ['nofollow']],
            ['a visitor wrote it (ugc nofollow)', ['ugc', 'nofollow']],
            ['we vouch for it', []],
            ['what the rules say', null],
          ] as const
        ).map(([words, hints]) => (
          <Way
            key={words}
            words={words}
            isOn={JSON.stringify(change.hints) === JSON.stringify(hints)}
            onClick={() => onChange({ do: 'tell', hints: hints === null ? null : [...hints] })}
          />
        ))}
      </fieldset>
    )
  if (change.do === 'tag')
    return (
      <div className="grid grid-cols-2 gap-3 max-md:grid-cols-1">
        <Tags label="Give these tags" value={change.add} onChange={(add) => onChange({ ...change, add })} />
        <Tags label="Take these away" value={change.remove} onChange={(remove) => onChange({ ...change, remove })} />
      </div>
    )
  if (change.do === 'bake')
    return (
      <p className="note">
        What the rules decide is written into the pages’ source, as if it had been typed there. Rules that change later still hold; the
        whole is undone in one step.
      </p>
    )
  return null
}

function Way({ words, isOn, onClick }: { words: string; isOn: boolean; onClick: () => void }) {
  return (
    <label className="flex items-center gap-2">
      <input type="radio" checked={isOn} onChange={onClick} />
      {words}
    </label>
  )
}

function Tags({ label, value, onChange }: { label: string; value: readonly string[]; onChange: (value: string[]) => void }) {
  const [typed, setTyped] = useState(value.join(', '))
  const read = (text: string): void => {
    setTyped(text)
    onChange(
      text
        .split(',')
        .map((tag) => tag.trim())
        .filter((tag) => tag !== ''),
    )
  }
  return <TextField label={label} value={typed} placeholder="spring, boats" onChange={read} />
}
