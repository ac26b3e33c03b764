import type { APIRoute } from 'astro'
import { SESSION_COOKIE } from '../middleware.ts'

export const POST: APIRoute = async ({ cookies, locals, redirect }) => {
  const token = cookies.get(SESSION_COOKIE)?.value
  if (token !== undefined) await locals.services.people.signOut(token)
  cookies.delete(SESSION_COOKIE, { path: '/' })
  return redirect('/sign-in', 303)
}
