import type { APIRoute } from 'astro'
import { openApiDocument } from '../../../contract/openapi.ts'

const document = JSON.stringify(openApiDocument())

export const GET: APIRoute = () => new Response(document, { headers: { 'Content-Type': 'application/json' } })
