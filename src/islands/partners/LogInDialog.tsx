import { useMutation } from '@tanstack/react-query'
import { toast } from 'sonner'
import { Partner } from '../../contract/partners.ts'
import { call } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { useEdited } from '../../ui/edited.tsx'
import { Beside, Form } from '../../ui/Form.tsx'
import { TextField } from '../../ui/TextField.tsx'

const NOTHING = { name: '', password: '' }

/** Where a log-in is typed in. What is kept is never filled in again: nobody can read it over a shoulder. */
export function LogInDialog({ partner, onClose }: { partner: Partner; onClose: () => void }) {
  // Kept nowhere but in its fields.
  const edited = useEdited({ value: NOTHING, version: partner.version })
  const { name, password } = edited.value
  const keep = useMutation({
    mutationFn: () =>
      edited.save(
        (value, version) => call('partners.keepLogIn', { id: partner.id, body: { ...value, version } }),
        (current) => ({ value: NOTHING, version: Partner.parse(current).version }),
      ),
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
        <TextField label="Name" value={name} onChange={(to) => edited.set({ name: to })} autoComplete="off" />
        <TextField
          label="Password"
          value={password}
          onChange={(to) => edited.set({ password: to })}
          type="password"
          autoComplete="new-password"
        />
      </Form>
    </Dialog>
  )
}
