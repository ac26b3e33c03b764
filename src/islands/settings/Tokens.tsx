import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import type { Permission } from '../../contract/permissions.ts'
import type { TokenList, TokenMade } from '../../contract/tokens.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { Beside, Form } from '../../ui/Form.tsx'
import { Queries, useAsk } from '../../ui/query.tsx'
import { ShownOnce } from '../../ui/ShownOnce.tsx'
import { TextField } from '../../ui/TextField.tsx'
import { useUnsaved } from '../../ui/unsaved.ts'

/** Keys with which programs ask the API in one's name. */
export function Tokens(props: { initial: TokenList; mine: readonly Permission[] }) {
  return (
    <Queries>
      <TokensView {...props} />
    </Queries>
  )
}

const SCOPE_WORDS: Readonly<Record<Permission, string>> = {
  'addresses:read': 'mend addresses',
  'pages:read': 'read pages and links',
  'pages:edit': 'write pages',
  'pages:publish': 'publish',
  'imports:run': 'bring a site in',
  'exports:read': 'take the site out',
  'rules:read': 'read rules',
  'rules:edit': 'change rules',
  'short-links:read': 'read short links',
  'short-links:edit': 'make and change short links',
  'redirects:read': 'read redirects',
  'redirects:edit': 'make and change redirects',
  'partners:read': 'read partners',
  'partners:edit': 'change partners',
  'hosts:read': 'read the site’s hosts',
  'hosts:edit': 'change the site’s hosts',
  'people:edit': 'add and end people',
  'tokens:edit': 'make tokens',
}
function TokensView({ initial, mine }: { initial: TokenList; mine: readonly Permission[] }) {
  const { data } = useAsk('tokens.list', {}, { initialData: initial })
  const [made, setMade] = useState<TokenMade | null>(null)
  const revoke = useMutation({
    mutationFn: (id: string) => call('tokens.revoke', { id }),
    onSuccess: () => {
      toast.success('It no longer works.')
    },
    onError: (error) => toast.error(wordsOf(error)),
  })
  return (
    <div className="mx-auto grid max-w-[860px] gap-5 px-5 py-7 max-md:px-3">
      <header>
        <h1 className="text-[26px]">API tokens</h1>
        <p className="text-ink-soft">
          A token lets a program of yours do here what you allow it: make short links from a script, say. It is sent as{' '}
          <code>Authorization: Bearer …</code>; what can be asked is told in <a href="/api/v1/openapi.json">the API’s description</a>.
        </p>
      </header>
      {made !== null && (
        <ShownOnce secret={made.token} testId="token">
          The token “{made.name}” is shown only now. Keep it like a password.
        </ShownOnce>
      )}
      {data.items.length === 0 && <p className="sheet px-5 py-6 text-center text-ink-soft">You have none.</p>}
      {data.items.length > 0 && (
        <ul className="sheet divide-y" aria-label="Your tokens">
          {data.items.map(({ id, name, scopes, createdAt }) => (
            <li key={id} className="flex flex-wrap items-center gap-x-4 gap-y-2 px-4 py-3">
              <span className="min-w-0 flex-1">
                <span className="block truncate font-semibold">{name}</span>
                <span className="note block">
                  Since {createdAt.slice(0, 10)}; may {scopes.includes('*') ? 'do all that you may' : scopes.map(wordsOfScope).join(', ')}
                </span>
              </span>
              <button type="button" className="button" disabled={revoke.isPending} onClick={() => revoke.mutate(id)}>
                Revoke<span className="sr-only"> {name}</span>
              </button>
            </li>
          ))}
        </ul>
      )}
      <NewToken mine={mine} onMade={setMade} />
    </div>
  )
}

const wordsOfScope = (scope: string): string => (scope in SCOPE_WORDS ? SCOPE_WORDS[scope as Permission] : scope)

function NewToken({ mine, onMade }: { mine: readonly Permission[]; onMade: (made: TokenMade) => void }) {
  const [name, setName] = useState('')
  const [scopes, setScopes] = useState<readonly Permission[]>([])
  useUnsaved(name.trim() !== '' || scopes.length > 0)
  const make = useMutation({
    mutationFn: () => call('tokens.make', { body: { name, scopes: [...scopes] } }),
    onSuccess: (made) => {
      onMade(made)
      setName('')
      setScopes([])
    },
  })
  const toggle = (scope: Permission): void =>
    setScopes(scopes.includes(scope) ? scopes.filter((each) => each !== scope) : [...scopes, scope])
  return (
    <Form
      isSheet
      sending={make}
      words="Make it"
      canSend={scopes.length > 0}
      beside={<Beside>{scopes.length === 0 ? 'Choose what it may do, and no more than it needs.' : ''}</Beside>}
    >
      <h2 className="text-[18px]">Make a token</h2>
      <TextField label="What is it for?" required placeholder="The newsletter’s script" value={name} onChange={setName} />
      <fieldset>
        <legend className="field-label">It may</legend>
        <div className="grid grid-cols-3 gap-x-4 gap-y-1.5 max-lg:grid-cols-2 max-md:grid-cols-1">
          {mine.map((scope) => (
            <label key={scope} className="flex items-center gap-2.5">
              <input type="checkbox" checked={scopes.includes(scope)} onChange={() => toggle(scope)} />
              {SCOPE_WORDS[scope]}
            </label>
          ))}
        </div>
      </fieldset>
    </Form>
  )
}
