import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import type { Partner } from '../../contract/partners.ts'
import { call } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { Beside, Form } from '../../ui/Form.tsx'
import { TextField } from '../../ui/TextField.tsx'

/** Where a log-in is typed in. What is kept is never filled in again: nobody can read it over a shoulder. */
export function LogInDialog({ partner, onClose }: { partner: Partner; onClose: () => void }) {
  const [name, setName] = useState('')
  const [password, setPassword] = useState('')
  const keep = useMutation({
    mutationFn: () => call('partners.keepLogIn', { id: partner.id, body: { name, password, version: partner.version } }),
    onSuccess: ({ hasLogIn }) => {
      toast.success(hasLogIn ? 'The log-in is kept, encrypted.' : 'The log-in is forgotten.')
      onClose()
    },
  })
  return (
    <Dialog title={`Log-in of ${partner.name}`} isOpen onClose={onClose}>
      <Form
        sending={keep}
        words={name === '' && password === '' ? 'Forget the log-in' : 'Keep it'}
        canSend={partner.hasLogIn || name !== '' || password !== ''}
        beside={<Beside>Encrypted where it is kept; in no list, export or history. Each look is written down.</Beside>}
      >
        <TextField label="Name" value={name} onChange={setName} autoComplete="off" />
        <TextField label="Password" value={password} onChange={setPassword} type="password" autoComplete="new-password" />
      </Form>
    </Dialog>
  )
}
