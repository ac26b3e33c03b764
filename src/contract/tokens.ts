import { z } from 'zod'
import { PERMISSIONS } from './people.ts'
import { Id } from './shared.ts'

export const TokenNew = z.strictObject({
  name: z.string().trim().min(1).max(120),
  scopes: z.array(z.union([z.literal('*'), z.enum(PERMISSIONS)])).min(1),
})
export type TokenNew = z.infer<typeof TokenNew>
export const Token = z.object({ id: Id, name: z.string(), scopes: z.array(z.string()), createdAt: z.iso.datetime() }).meta({ id: 'Token' })
export type Token = z.infer<typeof Token>
export const TokenMade = Token.extend({ token: z.string().meta({ description: 'Shown this once' }) })
export type TokenMade = z.infer<typeof TokenMade>
export const TokenList = z.object({ items: z.array(Token) })
export type TokenList = z.infer<typeof TokenList>
