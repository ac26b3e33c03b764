export { type CompiledShortLink, compileShortLinks, type ShortLinkRoute, type ShortLinkTable } from './short-links.ts'
