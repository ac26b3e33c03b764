import type { RedirectNew, RedirectRow, RedirectSays, RedirectWhen } from '../../contract/redirects.ts'
import type { DEVICES } from '../../core/clicks/index.ts'
import { MATCH_WORDS } from './words.ts'

/** What a form holds of a row; conditions as people write them. */
export interface RowDraft extends Omit<RedirectSays, 'when'> {
  readonly params: string
  readonly noOther: boolean
  readonly languages: string
  readonly devices: readonly (typeof DEVICES)[number][]
  readonly since: string
  readonly until: string
}

/** A row as a form begins with it; or what was given for one to be made. */
export const draftOf = (row: RedirectRow | null, given: RedirectNew | null): RowDraft => {
  const when = row?.when ?? given?.when ?? {}
  return {
    from: row?.from ?? given?.from ?? '',
    to: row?.to ?? given?.to ?? '',
    status: row?.status ?? given?.status ?? 301,
    match: row?.match ?? given?.match ?? 'exact',
    query: row?.query ?? given?.query ?? 'pass',
    note: row?.note ?? given?.note ?? '',
    isOn: row?.isOn ?? true,
    beatsPages: row?.beatsPages ?? false,
    isHidden: row?.isHidden ?? true,
    hosts: row?.hosts ?? given?.hosts ?? [],
    params: (when.query ?? []).map(({ name, value }) => (value === null ? name : `${name}=${value}`)).join('\n'),
    noOther: when.noOtherQuery ?? false,
    languages: (when.languages ?? []).join(' '),
    devices: when.devices ?? [],
    since: localTime(when.from),
    until: localTime(when.until),
  }
}

/** As a field for a time takes it: in this computer's zone. */
function localTime(iso: string | undefined): string {
  if (iso === undefined) return ''
  const at = new Date(iso)
  return new Date(at.getTime() - at.getTimezoneOffset() * 60_000).toISOString().slice(0, 16)
}

const whenOf = ({ params, noOther, languages, devices, since, until }: RowDraft): RedirectWhen => ({
  ...(params.trim() === ''
    ? {}
    : {
        query: params
          .split('\n')
          .map((each) => each.trim())
          .filter((each) => each !== '')
          .map((each) => {
            const at = each.indexOf('=')
            return at === -1 ? { name: each, value: null } : { name: each.slice(0, at), value: each.slice(at + 1) }
          }),
      }),
  ...(noOther ? { noOtherQuery: true } : {}),
  ...(languages.trim() === ''
    ? {}
    : {
        languages: languages
          .toLowerCase()
          .split(/[\s,]+/)
          .filter((tag) => tag !== ''),
      }),
  ...(devices.length === 0 ? {} : { devices: [...devices] }),
  ...(since === '' ? {} : { from: new Date(since).toISOString() }),
  ...(until === '' ? {} : { until: new Date(until).toISOString() }),
})

/** What is sent of a form. */
export const rowOf = (draft: RowDraft): RedirectSays => {
  const { from, to, status, match, query, note, isOn, beatsPages, isHidden, hosts } = draft
  return {
    from,
    to: status < 400 ? to : '',
    status,
    match,
    query,
    note,
    isOn,
    beatsPages,
    isHidden,
    hosts: [...hosts],
    when: whenOf(draft),
  }
}

/** What each field is called. */
export const FIELD_WORDS: Readonly<Record<keyof RowDraft, string>> = {
  ...{ from: 'Asked for', to: 'Lands on', status: 'Status', match: 'It means', query: 'The query', note: 'Note', isOn: 'On' },
  ...{
    beatsPages: 'Answers although a page is published there',
    isHidden: 'Kept out of menus and the sitemap',
    hosts: 'Only on these hosts',
  },
  ...{ params: 'Only with these parameters', noOther: 'And with no others', languages: 'Only for these languages' },
  ...{ devices: 'Only for these devices', since: 'From this moment on', until: 'Until this moment' },
}
/** One field in words, for whoever has to choose between two. */
export function sayField(name: keyof RowDraft, value: unknown): string {
  if (typeof value === 'boolean') return value ? 'yes' : 'no'
  if (Array.isArray(value)) return value.join(', ')
  return name === 'match' ? MATCH_WORDS[value as RowDraft['match']] : String(value ?? '')
}

/** Whether a row says anything beyond where it leads. */
export const hasMore = ({ params, noOther, languages, devices, since, until, hosts, beatsPages, isHidden, query }: RowDraft): boolean =>
  params + languages + since + until !== '' ||
  noOther ||
  devices.length > 0 ||
  hosts.length > 0 ||
  beatsPages ||
  !isHidden ||
  query !== 'pass'
