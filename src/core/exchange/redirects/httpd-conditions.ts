import { tell } from '../../../words/index.ts'
import { ok } from '../../result.ts'
import { compileExpression, type RedirectConditions } from '../../routing/index.ts'
import type { Directive } from './httpd-text.ts'
import { type ReadingSite, type Sayable, unsaid } from './row.ts'

/** What RewriteConds ask for, as hosts and conditions of a row. */
export function conditionsOf(
  conditions: readonly Directive[],
  hosts: readonly string[],
  site: ReadingSite,
): Sayable<{ hosts: readonly string[]; when: RedirectConditions }> {
  let named: string[] | null = hosts.length > 0 ? [...hosts] : null
  let when: RedirectConditions = {}
  let either: string[] = []
  for (const { args } of conditions) {
    const [test = '', pattern = '', flags = ''] = args
    const isOr = /\bOR\b|ornext/i.test(flags)
    if (/^%\{HTTP_HOST\}$/i.test(test)) {
      if (pattern.startsWith('!')) return unsaid(tell('config.all-hosts-but-one'))
      const found = hostsOf(pattern, site.hosts)
      if (found.length === 0) return unsaid(tell('config.no-host-meant', { pattern }))
      either.push(...found)
      if (isOr) continue
      const all = either
      named = named === null ? all : named.filter((each) => all.includes(each))
      either = []
      if (named.length === 0) return unsaid(tell('config.hosts-never-same'))
    } else if (isOr || either.length > 0) return unsaid(tell('config.one-of-several'))
    else if (/^%\{QUERY_STRING\}$/i.test(test)) {
      const asked = queryOf(pattern)
      if (asked === null) return unsaid(tell('config.no-such-query', { pattern }))
      if (/\bNC\b|nocase/i.test(flags) && asked.query.some(({ name, value }) => /\p{L}/u.test(`${name}${value ?? ''}`)))
        return unsaid(tell('config.query-without-case'))
      if (when.noOtherQuery === true || (asked.noOtherQuery && when.query !== undefined)) return unsaid(tell('config.queries-do-not-agree'))
      when = { query: [...(when.query ?? []), ...asked.query], ...(asked.noOtherQuery ? { noOtherQuery: true } : {}) }
    } else if (/^%\{REQUEST_FILENAME\}$/i.test(test) && /^!-[fd]$/.test(pattern)) {
      // "Only where there is no such file": a published page comes before a row in any case.
    } else return unsaid(tell('config.cannot-ask', { test }))
  }
  if (either.length > 0) return unsaid(tell('config.open-or'))
  return ok({ hosts: named ?? [], when })
}

/** Which of the site's hosts an expression means. */
function hostsOf(pattern: string, own: readonly string[]): string[] {
  const name = pattern.replace('(?::\\d+)?', '') // a port, which is no part of a host
  // Only what is plainly a name: letters, dots, and choices of them.
  if (!/^\^?(?:[\w\-.]|\\\.|\((?:\?:)?[\w\-.\\|]*\)\??)*\$?$/.test(name)) return []
  const compiled = compileExpression(name, true)
  return compiled.ok ? own.filter((host) => compiled.value.match(host) !== null) : []
}

/** What an expression on a query asks for; null where a row cannot. */
function queryOf(pattern: string): { query: { name: string; value: string | null }[]; noOtherQuery: boolean } | null {
  if (pattern === '^$') return { query: [], noOtherQuery: true }
  const plain = '((?:[\\w~-]|%[0-9A-Fa-f]{2}|\\\\[.+-])+)=((?:[\\w~-]|%[0-9A-Fa-f]{2}|\\\\[.+-])*)'
  const alone = new RegExp(`^\\^${plain}\\$$`).exec(pattern)
  const among = new RegExp(`^\\((?:\\?:)?(?:\\^\\|&|&\\|\\^)\\)${plain}\\((?:\\?:)?(?:&\\|\\$|\\$\\|&)\\)$`).exec(pattern)
  const found = alone ?? among
  if (found?.[1] === undefined) return null
  const read = (text: string): string => decodeURIComponent(text.replace(/\\(.)/g, '$1'))
  try {
    return { query: [{ name: read(found[1]), value: read(found[2] ?? '') }], noOtherQuery: alone !== null }
  } catch {
    return null
  }
}
