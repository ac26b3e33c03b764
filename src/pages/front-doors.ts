import type { APIRoute } from 'astro'

/** Where front doors used to be: they are hosts of the site now, among the others. */
export const GET: APIRoute = ({ redirect }) => redirect('/settings#front-doors', 301)
