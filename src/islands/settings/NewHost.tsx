import { useMutation } from '@tanstack/react-query'
import { type ReactNode, useState } from 'react'
import { toast } from 'sonner'
import { call } from '../../ui/api.ts'
import { Beside, Form } from '../../ui/Form.tsx'
import { TextField } from '../../ui/TextField.tsx'
import { useUnsaved } from '../../ui/unsaved.ts'

/** One more name for pages or short links. */
export function NewHost({ kind }: { kind: 'site' | 'short' }) {
  const [host, setHost] = useState('')
  const [prefix, setPrefix] = useState('go')
  const make = useMake(
    () => call('hosts.make', { body: { kind, host, ...(kind === 'short' ? { prefix } : {}) } }),
    () => setHost(''),
  )
  useUnsaved(host.trim() !== '')
  return (
    <HostForm title={kind === 'site' ? 'Add a host for pages' : 'Add a host for short links'} words="Answer there" make={make}>
      <TextField
        label="Host"
        isAddress
        required
        placeholder={kind === 'site' ? 'www.slow-ferry.example' : 'sferry.example'}
        value={host}
        onChange={setHost}
      />
      {kind === 'short' && <TextField label="Prefix (may be empty)" isAddress value={prefix} onChange={setPrefix} />}
    </HostForm>
  )
}

/** Stands in front of a site that answers elsewhere. */
export function NewDoor() {
  const [host, setHost] = useState('')
  const [origin, setOrigin] = useState('')
  const make = useMake(
    () => call('front-doors.make', { body: { host, origin } }),
    () => {
      setHost('')
      setOrigin('')
    },
  )
  useUnsaved(host.trim() !== '' || origin.trim() !== '')
  return (
    <HostForm title="Stand in front of a site" words="Stand there" make={make}>
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
    </HostForm>
  )
}

function useMake(make: () => Promise<{ host: string }>, onMade: () => void) {
  return useMutation({
    mutationFn: make,
    onSuccess: ({ host }) => {
      toast.success(`${host} is answered here from now on.`)
      onMade()
    },
  })
}

function HostForm({
  title,
  words,
  make,
  children,
}: {
  title: string
  words: string
  make: ReturnType<typeof useMake>
  children: ReactNode
}) {
  return (
    <Form
      isSheet
      label={title}
      isMain={false}
      sending={make}
      words={words}
      beside={<Beside>Let that name lead to this server (DNS) as well. Until then nothing changes for visitors.</Beside>}
    >
      <h3 className="text-[16px]">{title}</h3>
      <div className="grid grid-cols-2 gap-3.5 max-md:grid-cols-1">{children}</div>
    </Form>
  )
}
