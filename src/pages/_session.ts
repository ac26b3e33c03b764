import type { AstroCookies } from 'astro'

/** As long as a session lasts. */
const FORTNIGHT_SECONDS = 14 * 24 * 60 * 60

/** Gives a browser the session that was begun for it. */
export function giveSession(cookies: AstroCookies, url: URL, token: string): void {
  const { name, options } = sessionCookie(url)
  cookies.set(name, token, { ...options, maxAge: FORTNIGHT_SECONDS })
}

/**
 * The cookie that holds a session: of the studio's host alone, unreadable for scripts. Over https it is bound to that host
 * and to https by its name (RFC 6265bis, "__Host-" prefix).
 */
export function sessionCookie(url: URL): { name: string; options: { httpOnly: true; sameSite: 'lax'; path: '/'; secure: boolean } } {
  const secure = url.protocol === 'https:'
  return { name: secure ? '__Host-maprope_session' : 'maprope_session', options: { httpOnly: true, sameSite: 'lax', path: '/', secure } }
}
