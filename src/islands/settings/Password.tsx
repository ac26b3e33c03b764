import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import { PASSWORD_MIN_CHARS } from '../../contract/people.ts'
import { call } from '../../ui/api.ts'
import { Form } from '../../ui/Form.tsx'
import { Queries } from '../../ui/query.tsx'
import { TextField } from '../../ui/TextField.tsx'

/** One's own password. */
export function Password(props: { email: string }) {
  return (
    <Queries>
      <PasswordForm {...props} />
    </Queries>
  )
}

function PasswordForm({ email }: { email: string }) {
  const [current, setCurrent] = useState('')
  const [password, setPassword] = useState('')
  const change = useMutation({
    mutationFn: () => call('people.changePassword', { body: { current, password } }),
    onSuccess: () => {
      setCurrent('')
      setPassword('')
      toast.success('Your new password holds. Every other browser is signed out.')
    },
  })
  return (
    <div className="mx-auto grid max-w-[460px] gap-5 px-5 py-7 max-md:px-3">
      <header>
        <h1 className="text-[26px]">Your password</h1>
        <p className="text-ink-soft">You stay signed in here; every other browser is signed out.</p>
      </header>
      <Form isSheet sending={change} words="Change it">
        <input type="text" name="username" autoComplete="username" value={email} readOnly hidden />
        <TextField label="As it is now" type="password" autoComplete="current-password" required value={current} onChange={setCurrent} />
        <TextField
          label="The new one"
          type="password"
          autoComplete="new-password"
          required
          minLength={PASSWORD_MIN_CHARS}
          value={password}
          onChange={setPassword}
        />
        <p className="note">{PASSWORD_MIN_CHARS} characters or more. A few words in a row do well.</p>
      </Form>
    </div>
  )
}
