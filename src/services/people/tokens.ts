import { randomBytes } from 'node:crypto'
import { mayAsk } from '../../contract/operation.ts'
import { PERMISSIONS } from '../../contract/permissions.ts'
import { tokens as calls, type TokenList, type TokenMade, type TokenNew } from '../../contract/tokens.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import { findMember } from '../../data/people.ts'
import { insertToken, listTokens, revokeToken, tokenOf } from '../../data/tokens.ts'
import { type Actor, type Context, write, writeAudit } from '../context.ts'
import { digest } from '../secrets.ts'
import { actorFor, ROLE_PERMISSIONS } from './people.ts'

/** Most tokens of a person that work. */
export const TOKENS_MAX = 100

/** API tokens: each speaks for the person who made it, at one site, within its scopes. */
export function tokensService({ db }: Context) {
  return {
    /** Whom a bearer token speaks for; null when it is unknown, was revoked, or its person has ended. */
    async bearer(token: string): Promise<Actor | null> {
      const found = await tokenOf(db, digest(token))
      if (found === null) return null
      const person = await findMember(db, found.personId, found.siteId)
      return person === null ? null : actorFor(person, { tokenId: found.id }, found.scopes)
    },

    /** One's own tokens that still work, newest first. */
    async list(actor: Actor): Promise<Result<TokenList, 'forbidden'>> {
      if (!mayAsk(actor, calls.list)) return fail('forbidden')
      const found = await listTokens(db, actor)
      return ok({
        items: found.map(({ id, name, scopes, createdAt }) => ({ id, name, scopes, createdAt: new Date(createdAt).toISOString() })),
      })
    },

    async make(actor: Actor, { name, scopes }: TokenNew): Promise<Result<TokenMade, 'forbidden' | 'tokens-too-many'>> {
      if (!actor.can('tokens:edit') || scopes.some((scope) => scope !== '*' && !actor.can(scope))) return fail('forbidden')
      if (scopes.includes('*') && PERMISSIONS.some((permission) => ROLE_PERMISSIONS[actor.role].has(permission) && !actor.can(permission)))
        return fail('forbidden')
      if ((await listTokens(db, actor)).length >= TOKENS_MAX) return fail('tokens-too-many', { most: TOKENS_MAX })
      const token = `mr_${randomBytes(32).toString('base64url')}`
      return write(db, async (transaction, changes) => {
        const made = await insertToken(
          db,
          { personId: actor.personId, siteId: actor.siteId, name, scopes, tokenHash: digest(token) },
          transaction,
        )
        changes.add(actor.siteId, 'tokens', made.id, 'made')
        await writeAudit(db, actor, 'tokens:create', made.id, { name, scopes }, transaction)
        return ok({ id: made.id, name, scopes, createdAt: new Date(made.createdAt).toISOString(), token })
      })
    },

    async revoke(actor: Actor, id: string): Promise<Result<null, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.revoke)) return fail('forbidden')
      return write(db, async (transaction, changes) => {
        if (!(await revokeToken(db, actor, id, transaction))) return fail('not-found')
        changes.add(actor.siteId, 'tokens', id, 'removed')
        await writeAudit(db, actor, 'tokens:revoke', id, {}, transaction)
        return ok(null)
      })
    },
  }
}
