import type { Capability } from '../contract/capabilities.ts'
import { CHANGES_MAX, type ChangesAnswer, changes as calls } from '../contract/changes.ts'
import { mayAsk } from '../contract/operation.ts'
import type { Permission } from '../contract/permissions.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { changesAfter, logEnds } from '../data/changes.ts'
import type { Actor, Context } from './context.ts'

/** What one must be allowed to read to be told that it changed. */
const TOLD_TO: Readonly<Record<Capability, Permission>> = {
  pages: 'pages:read',
  files: 'pages:read',
  waiting: 'pages:read',
  publications: 'pages:read',
  findings: 'pages:read',
  checks: 'pages:read',
  'bulk-changes': 'pages:read',
  missed: 'redirects:read',
  'short-links': 'short-links:read',
  redirects: 'redirects:read',
  rules: 'rules:read',
  partners: 'partners:read',
  phrases: 'partners:read',
  disclosure: 'partners:read',
  earnings: 'partners:read',
  hosts: 'hosts:read',
  sites: 'hosts:read',
  people: 'people:edit',
  tokens: 'tokens:edit',
}

/** What open screens follow, so that what somebody else changed appears where it is shown. */
export function changesService({ db }: Context) {
  return {
    async after(actor: Actor, after: number | undefined): Promise<Result<ChangesAnswer, 'forbidden'>> {
      if (!mayAsk(actor, calls.after)) return fail('forbidden')
      const { siteId } = actor
      const number = (await logEnds(db, siteId))[0]?.number ?? 0
      if (after === undefined || after === number) return ok({ number, changes: [] })
      const found = after > number ? null : await changesAfter(db, { siteId, after, limit: CHANGES_MAX + 1 })
      if (found === null || found.length > CHANGES_MAX) return ok({ number, changes: null })
      return ok({
        number: found[found.length - 1]?.number ?? number,
        changes: found
          .filter(({ capability }) => actor.can(TOLD_TO[capability]))
          .map(({ capability, key, what }) => ({ capability, key, what })),
      })
    },
  }
}
