import type { AstroCookies } from 'astro'

/** As long as a session lasts. */
const FORTNIGHT_SECONDS = 14 * 24 * 60 * 60

const YEAR_SECONDS = 365 * 24 * 60 * 60

/** Gives a browser the session that was begun for it. @param known - by which it is told from strangers later on; left out where it is not signed in by a password */
export function giveSession(cookies: AstroCookies, url: URL, token: string, known?: string): void {
  const { name, options } = sessionCookie(url)
  cookies.set(name, token, { ...options, maxAge: FORTNIGHT_SECONDS })
  if (known !== undefined) cookies.set(KNOWN, known, { ...options, maxAge: YEAR_SECONDS })
}

const KNOWN = 'maprope_known'
/** What a browser keeps of an earlier time that somebody signed in with it; "" for nothing. */
export const knownIn = (cookies: AstroCookies): string => cookies.get(KNOWN)?.value.slice(0, 100) ?? ''

/**
 * The cookie that holds a session: of the studio's host alone, unreadable for scripts. Over https it is bound to that host
 * and to https by its name (RFC 6265bis, "__Host-" prefix).
 */
export function sessionCookie(url: URL): { name: string; options: { httpOnly: true; sameSite: 'lax'; path: '/'; secure: boolean } } {
  const secure = url.protocol === 'https:'
  return { name: secure ? '__Host-maprope_session' : 'maprope_session', options: { httpOnly: true, sameSite: 'lax', path: '/', secure } }
}
