import { matchRedirect, plainPath, type RedirectTable } from '../../src/core/routing/index.ts'

export const HOSTS = ['a.example', 'b.example']

export type Numbers = (below: number) => number
export const picking =
  (random: Numbers) =>
  <T>(from: readonly T[]): T =>
    from[random(from.length)] as T

/** What our rows answer to a request that is sent to another server; `by` is the row's id, "" where none answers. */
export function ownAnswer(
  table: RedirectTable,
  host: string,
  target: string,
  { language = null, isByNameOnly = false }: { readonly language?: string | null; readonly isByNameOnly?: boolean } = {},
): { status: number; location: string | null; by: string } {
  const [path = '', ...rest] = target.split('?')
  const query = rest.join('?')
  const asked = {
    host,
    origin: `http://${host}`,
    isByNameOnly,
    path: plainPath(path),
    query,
    language,
    device: 'computer',
    nowMs: 0,
  } as const
  const found = matchRedirect(asked, table, () => false)
  return found === null ? { status: 404, location: null, by: '' } : { status: found.status, location: found.location, by: found.row.id }
}
