import type { APIRoute } from 'astro'
import { problem } from './_answer.ts'

export const ALL: APIRoute = () => problem('not-found')
