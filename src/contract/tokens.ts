import { z } from 'zod'
import { Nothing, operation } from './operation.ts'
import { PERMISSIONS } from './permissions.ts'
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

export const tokens = {
  list: operation({
    method: 'get',
    path: '/tokens',
    summary: 'One’s own API tokens',
    needs: 'tokens:edit',
    status: 200,
    answer: TokenList,
    shows: ['tokens'],
  }),
  make: operation({
    method: 'post',
    path: '/tokens',
    summary: 'Make an API token',
    needs: 'tokens:edit',
    status: 201,
    body: TokenNew,
    answer: TokenMade,
  }),
  revoke: operation({
    method: 'delete',
    path: '/tokens/{id}',
    summary: 'Revoke an API token',
    needs: 'tokens:edit',
    status: 204,
    answer: Nothing,
  }),
} as const
