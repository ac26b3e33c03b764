import { fail, ok, type Result } from '../../result.ts'
import { compileExpression, type RedirectConditions } from '../../routing/index.ts'
import type { Directive } from './httpd-text.ts'
import type { ReadingSite } from './row.ts'

type Said<T> = Result<T, 'unsaid'>
const unsaid = (reason: string) => fail('unsaid', { reason })

/** What RewriteConds ask for, as hosts and conditions of a row. */
export function conditionsOf(
  conditions: readonly Directive[],
  hosts: readonly string[],
  site: ReadingSite,
): Said<{ hosts: readonly string[]; when: RedirectConditions }> {
  let named: string[] | null = hosts.length > 0 ? [...hosts] : null
  let when: RedirectConditions = {}
  let either: string[] = []
  for (const { args } of conditions) {
    const [test = '', pattern = '', flags = ''] = args
    const isOr = /\bOR\b|ornext/i.test(flags)
    if (/^%\{HTTP_HOST\}$/i.test(test)) {
      if (pattern.startsWith('!')) return unsaid('It is for all hosts but one, which a row cannot say.')
      const found = hostsOf(pattern, site.hosts)
      if (found.length === 0) return unsaid(`No host of this site is meant by “${pattern}”.`)
      either.push(...found)
      if (isOr) continue
      const all = either
      named = named === null ? all : named.filter((each) => all.includes(each))
      either = []
      if (named.length === 0) return unsaid('Its conditions name hosts that are never the same.')
    } else if (isOr || either.length > 0) return unsaid('One of several conditions is enough, which a row cannot say.')
    else if (/^%\{QUERY_STRING\}$/i.test(test)) {
      const asked = queryOf(pattern)
      if (asked === null) return unsaid(`A row cannot ask for a query like “${pattern}”.`)
      if (/\bNC\b|nocase/i.test(flags) && asked.query.some(({ name, value }) => /\p{L}/u.test(`${name}${value ?? ''}`)))
        return unsaid('A row tells capitals in a query apart, and this condition does not.')
      if (when.noOtherQuery === true || (asked.noOtherQuery && when.query !== undefined))
        return unsaid('Its conditions on the query do not go together.')
      when = { query: [...(when.query ?? []), ...asked.query], ...(asked.noOtherQuery ? { noOtherQuery: true } : {}) }
    } else if (/^%\{REQUEST_FILENAME\}$/i.test(test) && /^!-[fd]$/.test(pattern)) {
      // "Only where there is no such file": a published page comes before a row in any case.
    } else return unsaid(`A row cannot ask for ${test}.`)
  }
  if (either.length > 0) return unsaid('Its last condition says “or”, and nothing follows.')
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
