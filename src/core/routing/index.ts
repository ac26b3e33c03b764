export { type CompiledShortLink, compileShortLink, matchShortLink, type ShortLinkTarget } from './short-links.ts'
