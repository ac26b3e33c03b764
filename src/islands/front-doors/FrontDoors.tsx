import { useMutation, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import type { FrontDoor, FrontDoorList } from '../../contract/front-doors.ts'
import { ask, wordsOf } from '../../ui/api.ts'
import { Queries, queries } from '../../ui/query.tsx'
import { TextField } from '../../ui/TextField.tsx'
import { useUnsaved } from '../../ui/unsaved.ts'

/** Sites that exist elsewhere and are answered through here, with the rules applied as their pages pass. */
export function FrontDoors(props: { initial: FrontDoorList; canEdit: boolean }) {
  return (
    <Queries>
      <Doors {...props} />
    </Queries>
  )
}

const refresh = (): void => void queries.invalidateQueries({ queryKey: ['front doors'] })

function Doors({ initial, canEdit }: { initial: FrontDoorList; canEdit: boolean }) {
  const { data } = useQuery({
    queryKey: ['front doors'],
    queryFn: ({ signal }) => ask<FrontDoorList>('GET', '/front-doors', undefined, signal),
    initialData: initial,
  })
  const remove = useMutation({
    mutationFn: (door: FrontDoor) => ask<null>('DELETE', `/front-doors/${door.id}`),
    onSuccess: (_, { host, origin }) => {
      toast.success(`${host} is no longer answered here.`, {
        duration: 20_000,
        action: { label: 'Undo', onClick: () => putBack.mutate({ host, origin }) },
      })
      setAsking(null)
      refresh()
    },
    onError: (error) => toast.error(wordsOf(error)),
  })
  const putBack = useMutation({
    mutationFn: (door: { host: string; origin: string }) => ask<FrontDoor>('POST', '/front-doors', door),
    onSuccess: ({ host }) => {
      toast.success(`${host} is answered here again.`)
      refresh()
    },
    onError: (error) => toast.error(wordsOf(error)),
  })
  const [asking, setAsking] = useState<string | null>(null)
  return (
    <div className="mx-auto grid max-w-[860px] gap-5 px-5 py-7 max-md:px-3">
      <header>
        <h1 className="text-[26px]">Front doors</h1>
        <p className="text-ink-soft">
          For a site that lives elsewhere: visitors ask here, its pages pass through, and your rules mark their links on the way. Nothing on
          that site changes.
        </p>
      </header>
      {data.items.length === 0 && <p className="sheet px-5 py-8 text-center text-ink-soft">None yet.</p>}
      {data.items.length > 0 && (
        <ul className="sheet divide-y" aria-label="Front doors">
          {data.items.map((door) => (
            <li key={door.id} className="flex flex-wrap items-center gap-x-4 gap-y-1 px-4 py-3">
              <span className="min-w-0 flex-1">
                <a href={door.address} target="_blank" rel="noopener" className="font-semibold">
                  {door.host}
                </a>
                <span className="address block truncate text-ink-soft">in front of {door.origin}</span>
              </span>
              {canEdit && asking !== door.id && (
                <button type="button" className="button" onClick={() => setAsking(door.id)}>
                  Take it away<span className="sr-only"> {door.host}</span>
                </button>
              )}
              {asking === door.id && (
                <div className="flex basis-full flex-wrap items-center gap-3">
                  <p className="min-w-0 flex-1">
                    Whoever asks for {door.host} finds nothing from then on, until that name leads to {door.origin} by itself.
                  </p>
                  <button
                    type="button"
                    className="button !border-[var(--red)] text-red"
                    disabled={remove.isPending}
                    onClick={() => remove.mutate(door)}
                  >
                    Yes, take {door.host} away
                  </button>
                  <button type="button" className="button button-plain" onClick={() => setAsking(null)}>
                    Leave it
                  </button>
                </div>
              )}
            </li>
          ))}
        </ul>
      )}
      {canEdit && <NewDoor />}
    </div>
  )
}

function NewDoor() {
  const [host, setHost] = useState('')
  const [origin, setOrigin] = useState('')
  useUnsaved(host.trim() !== '' || origin.trim() !== '')
  const make = useMutation({
    mutationFn: () => ask<FrontDoor>('POST', '/front-doors', { host, origin }),
    onSuccess: (door) => {
      toast.success(`${door.host} is answered here from now on.`)
      setHost('')
      setOrigin('')
      refresh()
    },
  })
  return (
    <form
      className="sheet grid gap-3.5 px-4 py-4"
      onSubmit={(event) => {
        event.preventDefault()
        make.mutate()
      }}
    >
      <h2 className="text-[18px]">Stand in front of a site</h2>
      <div className="grid grid-cols-2 gap-3.5 max-md:grid-cols-1">
        <TextField
          label="Where does it answer now?"
          isAddress
          required
          placeholder="https://origin.slow-ferry.example"
          value={origin}
          onChange={setOrigin}
        />
        <TextField
          label="On which host do visitors ask?"
          isAddress
          required
          placeholder="www.slow-ferry.example"
          value={host}
          onChange={setHost}
        />
      </div>
      <p className="note">Point that host’s name at this server afterwards. Until then nothing changes for visitors.</p>
      {make.error !== null && (
        <p role="alert" className="text-red">
          {wordsOf(make.error)}
        </p>
      )}
      <p className="flex justify-end">
        <button type="submit" className="button button-main" disabled={make.isPending}>
          Stand there
        </button>
      </p>
    </form>
  )
}
