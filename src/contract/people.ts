import { z } from 'zod'
import { tell } from '../words/index.ts'
import { Nothing, operation } from './operation.ts'
import { PERMISSIONS } from './permissions.ts'
import { Id, line, says, Version } from './shared.ts'

export const Email = z.string().trim().toLowerCase().max(254)
export const SignIn = z.object({ email: Email, password: z.string().max(1_000) })
export const ROLE_NAMES = ['owner', 'editor', 'contributor'] as const

/** Shortest password taken, inclusive. NIST SP 800-63B asks for 8 at least, and for no rules beyond length. */
export const PASSWORD_MIN_CHARS = 10
export const NewPassword = z
  .string()
  .min(PASSWORD_MIN_CHARS, says(tell('field.password-short', { least: PASSWORD_MIN_CHARS })))
  .max(1_000, says(tell('field.password-long')))

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
export const PersonName = line(120).min(1, says(tell('field.name')))
export const PersonNew = z.strictObject({
  name: PersonName,
  email: Email.pipe(z.email(says(tell('field.mail')))),
  role: z.enum(ROLE_NAMES),
})
export type PersonNew = z.infer<typeof PersonNew>
export const PersonChange = z.strictObject({ version: Version, name: PersonName.optional(), role: z.enum(ROLE_NAMES).optional() })
export type PersonChange = z.infer<typeof PersonChange>
/** A person, with the one address that lets them choose a password; null for who has one, of another site. */
export const PersonInvited = z.object({
  person: Person,
  entry: z.object({ link: z.url().meta({ description: 'Works once, and is shown this once' }), endsAt: z.iso.datetime() }).nullable(),
})
export type PersonInvited = z.infer<typeof PersonInvited>

/** The sites somebody belongs to, with the role at each. */
export const SiteList = z.object({
  items: z.array(z.object({ id: Id, name: z.string(), role: z.enum(ROLE_NAMES), isHere: z.boolean() })),
})
export type SiteList = z.infer<typeof SiteList>
export const GoTo = z.strictObject({ site: Id })

/** The form behind a one-time link. */
export const Entry = z.object({ code: z.string().max(200), password: NewPassword })

export const people = {
  me: operation({ method: 'get', path: '/me', summary: 'Who asks, and what they may do', needs: null, status: 200, answer: Me }),
  sites: operation({
    method: 'get',
    path: '/me/sites',
    summary: 'The sites that whoever asks belongs to',
    needs: null,
    status: 200,
    answer: SiteList,
  }),
  goTo: operation({
    method: 'put',
    path: '/me/site',
    summary: 'Go on at another of one’s sites, in this browser',
    needs: null,
    status: 204,
    body: GoTo,
    answer: Nothing,
  }),
  changePassword: operation({
    method: 'put',
    path: '/me/password',
    summary: 'Change one’s own password; other browsers are signed out',
    needs: null,
    status: 204,
    body: PasswordChange,
    answer: Nothing,
  }),
  list: operation({
    method: 'get',
    path: '/people',
    summary: 'Everybody of the site',
    needs: 'people:edit',
    status: 200,
    answer: PersonList,
    shows: ['people'],
  }),
  add: operation({
    method: 'post',
    path: '/people',
    summary: 'Add somebody, who comes in with a one-time link, or with the password they have',
    needs: 'people:edit',
    status: 201,
    body: PersonNew,
    answer: PersonInvited,
  }),
  change: operation({
    method: 'patch',
    path: '/people/{id}',
    summary: 'Give somebody another role or name',
    needs: 'people:edit',
    status: 200,
    body: PersonChange,
    answer: Person,
  }),
  end: operation({
    method: 'delete',
    path: '/people/{id}',
    summary: 'End somebody at this site: signed out, tokens revoked, name kept in the history',
    needs: 'people:edit',
    status: 204,
    answer: Nothing,
  }),
  link: operation({
    method: 'post',
    path: '/people/{id}/link',
    summary: 'A new one-time link with which somebody chooses a password',
    needs: 'people:edit',
    status: 201,
    answer: PersonInvited,
  }),
} as const
