import { z } from 'zod'
import { isConditional, QUERY_HABITS, REDIRECT_MATCHES, REDIRECT_STATUSES } from '../../routing/index.ts'
import { draftOf, PLAIN_DRAFT, type RedirectDraft } from './row.ts'

/** What a remark says of a row; one that is off is in no configuration. */
const REMARKED = {
  from: z.string(),
  to: z.string(),
  status: z.literal(REDIRECT_STATUSES).optional(),
  match: z.enum(REDIRECT_MATCHES).optional(),
  query: z.enum(QUERY_HABITS).optional(),
  hosts: z.array(z.string()).optional(),
  when: z
    .strictObject({
      query: z.array(z.strictObject({ name: z.string(), value: z.string().nullable() })).optional(),
      noOtherQuery: z.boolean().optional(),
      languages: z.array(z.string()).optional(),
    })
    .optional(),
  beatsPages: z.boolean().optional(),
  isHidden: z.boolean().optional(),
  note: z.string().optional(),
} satisfies Record<Exclude<keyof RedirectDraft, 'isOn'>, z.ZodType>
const Remark = z.strictObject(REMARKED)

/** Longest remark that is read. */
const REMARK_MAX_CHARS = 20_000

/** A row as a comment over its lines, by which people know them, and by which they are read again. */
export function remarkOf(draft: RedirectDraft): string {
  const { from, to, when } = draft
  const said: Record<string, unknown> = { from, to }
  for (const field of Object.keys(REMARKED) as (keyof typeof REMARKED)[])
    if (field === 'when')
      said.when = isConditional(when) ? { query: when.query, noOtherQuery: when.noOtherQuery, languages: when.languages } : undefined
    else if (field !== 'from' && field !== 'to' && !isSame(draft[field], PLAIN_DRAFT[field])) said[field] = draft[field]
  // Signs that no line of a configuration can hold are escaped.
  const escaped = (sign: string): string => `\\u${sign.charCodeAt(0).toString(16).padStart(4, '0')}`
  return `# ${JSON.stringify(said).replace(/[\p{Cc}\p{Zl}\p{Zp}]/gu, escaped)}`
}

/** Values of a row: of lists there are only those of hosts, and hosts are left out where there are none. */
const isSame = (a: unknown, b: unknown): boolean => a === b || (Array.isArray(a) && Array.isArray(b) && a.length === 0 && b.length === 0)

/** @returns null for any other comment */
export function draftOfRemark(line: string): RedirectDraft | null {
  if (!line.startsWith('# {') || line.length > REMARK_MAX_CHARS) return null
  try {
    const read = Remark.safeParse(JSON.parse(line.slice(2)))
    return read.success ? draftOf(withoutUndefined(read.data)) : null
  } catch {
    return null
  }
}

type Said = Parameters<typeof draftOf>[0]
function withoutUndefined({ when, from, to, ...rest }: z.infer<typeof Remark>): Said {
  const known = Object.fromEntries(Object.entries(rest).filter(([, value]) => value !== undefined))
  const conditions = Object.fromEntries(Object.entries(when ?? {}).filter(([, value]) => value !== undefined))
  return { from, to, ...known, ...(when === undefined ? {} : { when: conditions }) }
}
