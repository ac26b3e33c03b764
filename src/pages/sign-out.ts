import type { APIRoute } from 'astro'
import { sessionCookie } from './_session.ts'

export const POST: APIRoute = async ({ cookies, locals, redirect, url }) => {
  const { name, options } = sessionCookie(url)
  const token = cookies.get(name)?.value
  if (token !== undefined) await locals.services.people.signOut(token)
  cookies.delete(name, options)
  return redirect('/sign-in', 303)
}
