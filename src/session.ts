/**
 * The cookie that holds a session: of the studio's host alone, unreadable for scripts. Over https it is bound to that host
 * and to https by its name (RFC 6265bis, "__Host-" prefix).
 */
export function sessionCookie(url: URL): { name: string; options: { httpOnly: true; sameSite: 'lax'; path: '/'; secure: boolean } } {
  const secure = url.protocol === 'https:'
  return { name: secure ? '__Host-maprope_session' : 'maprope_session', options: { httpOnly: true, sameSite: 'lax', path: '/', secure } }
}
