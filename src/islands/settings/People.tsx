import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import { type Person, type PersonInvited, type PersonList, ROLE_NAMES } from '../../contract/people.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { Beside, Form } from '../../ui/Form.tsx'
import { Queries, useAsk } from '../../ui/query.tsx'
import { Select } from '../../ui/Select.tsx'
import { ShownOnce } from '../../ui/ShownOnce.tsx'
import { TextField } from '../../ui/TextField.tsx'
import { useUnsaved } from '../../ui/unsaved.ts'

/** Who works on the site, and as what. */
export function People(props: { initial: PersonList }) {
  return (
    <Queries>
      <PeopleView {...props} />
    </Queries>
  )
}

type Role = Person['role']
const ROLE_WORDS: Readonly<Record<Role, string>> = {
  owner: 'everything, also hosts and people',
  editor: 'writes, links, publishes, sets rules',
  contributor: 'writes; outside links wait for an editor',
}
function PeopleView({ initial }: { initial: PersonList }) {
  const { data } = useAsk('people.list', {}, { initialData: initial })
  const [invited, setInvited] = useState<PersonInvited | null>(null)
  return (
    <div className="mx-auto grid max-w-[860px] gap-5 px-5 py-7 max-md:px-3">
      <header>
        <h1 className="text-[26px]">People</h1>
        <p className="text-ink-soft">Who works on this site, and as what. What somebody wrote stays when they end.</p>
      </header>
      {invited?.entry === null && (
        <p role="status">{invited.person.name} belongs to another site here already, and comes in with the password used there.</p>
      )}
      {invited?.entry != null && (
        <ShownOnce secret={invited.entry.link} testId="one-time-link">
          Give this address to {invited.person.name} and nobody else. It works once, until {invited.entry.endsAt.slice(0, 10)}, and is shown
          only now.
        </ShownOnce>
      )}
      <ul className="sheet divide-y" aria-label="People">
        {data.items.map((person) => (
          <PersonRow key={person.id} person={person} onLink={setInvited} />
        ))}
      </ul>
      <NewPerson onAdded={setInvited} />
    </div>
  )
}

function PersonRow({ person, onLink }: { person: Person; onLink: (invited: PersonInvited) => void }) {
  const [isAsking, setAsking] = useState(false)
  const onError = (error: unknown): void => {
    toast.error(wordsOf(error))
  }
  const change = useMutation({
    mutationFn: (role: Role) => call('people.change', { id: person.id, body: { version: person.version, role } }),
    onSuccess: (now) => {
      toast.success(`${now.name} is ${now.role === 'contributor' ? 'a' : 'an'} ${now.role} now.`)
    },
    onError,
  })
  const link = useMutation({
    mutationFn: () => call('people.link', { id: person.id }),
    onSuccess: (invited) => {
      onLink(invited)
    },
    onError,
  })
  const admit = useMutation({
    mutationFn: () => call('people.add', { body: { name: person.name, email: person.email, role: person.role } }),
    onSuccess: (invited) => {
      onLink(invited)
    },
    onError,
  })
  const end = useMutation({
    mutationFn: () => call('people.end', { id: person.id }),
    onSuccess: () => {
      toast.success(`${person.name} can no longer sign in.`)
      setAsking(false)
    },
    onError,
  })
  const isHere = person.state !== 'ended'
  return (
    <li className="flex flex-wrap items-center gap-x-4 gap-y-2 px-4 py-3">
      <span className={`min-w-0 flex-1 basis-[220px] ${isHere ? '' : 'text-ink-soft'}`}>
        <span className="font-semibold">{person.name}</span>
        {person.isYou && <span className="note"> you</span>}
        {person.state === 'invited' && <span className="note"> has not come in yet</span>}
        {person.state === 'ended' && <span className="note"> has ended</span>}
        <span className="block truncate text-ink-soft">{person.email}</span>
      </span>
      {isHere && (
        <Select
          label={`Role of ${person.name}`}
          isLabelHidden
          className="!w-auto"
          isReadOnly={change.isPending}
          value={person.role}
          options={ROLE_NAMES.map((role) => [role, role])}
          onChange={(value) => change.mutate(ROLE_NAMES.find((role) => role === value) ?? person.role)}
        />
      )}
      {isHere && !isAsking && (
        <span className="flex flex-wrap gap-2">
          <button type="button" className="button" disabled={link.isPending} onClick={() => link.mutate()}>
            New one-time link<span className="sr-only"> for {person.name}</span>
          </button>
          <button type="button" className="button button-plain text-red" onClick={() => setAsking(true)}>
            End<span className="sr-only"> {person.name}</span>
          </button>
        </span>
      )}
      {!isHere && (
        <button type="button" className="button" disabled={admit.isPending} onClick={() => admit.mutate()}>
          Take {person.name} in again
        </button>
      )}
      {isAsking && (
        <div className="flex basis-full flex-wrap items-center gap-3">
          <p className="min-w-0 flex-1">
            {person.isYou ? 'You are' : `${person.name} is`} signed out of this site, and {person.isYou ? 'your' : 'their'} API tokens stop
            working. What was planned in {person.isYou ? 'your' : 'their'} name is not carried out.
          </p>
          <button type="button" className="button !border-[var(--red)] text-red" disabled={end.isPending} onClick={() => end.mutate()}>
            Yes, end {person.name}
          </button>
          <button type="button" className="button button-plain" onClick={() => setAsking(false)}>
            Leave it
          </button>
        </div>
      )}
    </li>
  )
}

function NewPerson({ onAdded }: { onAdded: (invited: PersonInvited) => void }) {
  const [name, setName] = useState('')
  const [email, setEmail] = useState('')
  const [role, setRole] = useState<Role>('editor')
  useUnsaved(name.trim() !== '' || email.trim() !== '')
  const add = useMutation({
    mutationFn: () => call('people.add', { body: { name, email, role } }),
    onSuccess: (invited) => {
      onAdded(invited)
      setName('')
      setEmail('')
    },
  })
  return (
    <Form isSheet sending={add} words="Add" beside={<Beside>You get an address that works once, to hand on. No mail is sent.</Beside>}>
      <h2 className="text-[18px]">Add somebody</h2>
      <div className="grid grid-cols-2 gap-3.5 max-md:grid-cols-1">
        <TextField label="Name" required value={name} onChange={setName} />
        <TextField label="E-mail address" type="email" required value={email} onChange={setEmail} />
      </div>
      <fieldset>
        <legend className="field-label">As</legend>
        <div className="grid gap-1.5">
          {ROLE_NAMES.map((each) => (
            <label key={each} className="flex items-center gap-2.5">
              <input type="radio" name="role" checked={role === each} onChange={() => setRole(each)} />
              <span>
                <b>{each}</b> <span className="text-ink-soft">{ROLE_WORDS[each]}</span>
              </span>
            </label>
          ))}
        </div>
      </fieldset>
    </Form>
  )
}
