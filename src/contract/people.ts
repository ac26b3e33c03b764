import { z } from 'zod'
import { Id, line, Version } from './shared.ts'

export const Email = z.string().trim().toLowerCase().max(254)
export const SignIn = z.object({ email: Email, password: z.string().max(1_000) })
export const ROLE_NAMES = ['owner', 'editor', 'contributor'] as const

/** Shortest password taken, inclusive. NIST SP 800-63B asks for 8 at least, and for no rules beyond length. */
export const PASSWORD_MIN_CHARS = 10
export const NewPassword = z
  .string()
  .min(PASSWORD_MIN_CHARS, `A password has ${PASSWORD_MIN_CHARS} characters or more; a few words in a row do well`)
  .max(1_000, 'That is too long for a password')

/** What can be allowed. A role allows some; a token's scopes allow some of those, or all with "*". */
export const PERMISSIONS = [
  'addresses:read',
  'pages:read',
  'pages:edit',
  'pages:publish',
  'imports:run',
  'exports:read',
  'rules:read',
  'rules:edit',
  'short-links:read',
  'short-links:edit',
  'partners:read',
  'partners:edit',
  'hosts:read',
  'hosts:edit',
  'people:edit',
  'tokens:edit',
] as const
export type Permission = (typeof PERMISSIONS)[number]

export const Me = z
  .object({ name: z.string(), email: z.string(), role: z.enum(ROLE_NAMES), permissions: z.array(z.enum(PERMISSIONS)), site: z.string() })
  .meta({ id: 'Me' })
export type Me = z.infer<typeof Me>

export const PasswordChange = z.strictObject({ current: z.string().max(1_000), password: NewPassword })
export type PasswordChange = z.infer<typeof PasswordChange>

export const Person = z
  .object({
    id: Id,
    name: z.string(),
    email: z.string(),
    role: z.enum(ROLE_NAMES),
    state: z.enum(['active', 'invited', 'ended']).meta({ description: 'invited: no password chosen yet' }),
    isYou: z.boolean(),
    version: Version,
  })
  .meta({ id: 'Person' })
export type Person = z.infer<typeof Person>
export const PersonList = z.object({ items: z.array(Person) })
export type PersonList = z.infer<typeof PersonList>
export const PersonName = line(120).min(1, 'A name is needed')
export const PersonNew = z.strictObject({
  name: PersonName,
  email: Email.pipe(z.email('This is not an e-mail address')),
  role: z.enum(ROLE_NAMES),
})
export type PersonNew = z.infer<typeof PersonNew>
export const PersonChange = z.strictObject({ version: Version, name: PersonName.optional(), role: z.enum(ROLE_NAMES).optional() })
export type PersonChange = z.infer<typeof PersonChange>
/** A person, with the one address that lets them choose a password. */
export const PersonInvited = z.object({
  person: Person,
  link: z.url().meta({ description: 'Works once, and is shown this once' }),
  endsAt: z.iso.datetime(),
})
export type PersonInvited = z.infer<typeof PersonInvited>

/** The form behind a one-time link. */
export const Entry = z.object({ code: z.string().max(200), password: NewPassword })
