import { z } from 'zod'

export const SignIn = z.object({ email: z.string().trim().toLowerCase().max(254), password: z.string().max(1_000) })
export const ROLE_NAMES = ['owner', 'editor', 'contributor'] as const

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
  'hosts:edit',
  'tokens:edit',
] as const
export type Permission = (typeof PERMISSIONS)[number]

export const Me = z
  .object({ name: z.string(), email: z.string(), role: z.enum(ROLE_NAMES), permissions: z.array(z.enum(PERMISSIONS)), site: z.string() })
  .meta({ id: 'Me' })
export type Me = z.infer<typeof Me>

export const TokenNew = z.strictObject({
  name: z.string().trim().min(1).max(120),
  scopes: z.array(z.union([z.literal('*'), z.enum(PERMISSIONS)])).min(1),
})
export type TokenNew = z.infer<typeof TokenNew>
export const Token = z.object({ id: z.uuid(), name: z.string(), scopes: z.array(z.string()), createdAt: z.iso.datetime() })
export const TokenMade = Token.extend({ token: z.string().meta({ description: 'Shown this once' }) })
export const TokenList = z.object({ items: z.array(Token) })
