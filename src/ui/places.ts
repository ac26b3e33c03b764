import { languageName } from '../words/index.ts'

const TAGS =
  'ar bg bn ca cs cy da de el en en-GB en-US es et eu fa fi fr ga gd gl he hi hr hu id is it ja ko lt lv ms nb nl nn pl pt pt-BR ro ru sk sl sr sv sw ta th tr uk ur vi zh-Hans zh-Hant'.split(
    ' ',
  )

/** Languages to choose from, as tag and English name; any other tag of BCP 47 can be written. */
export const LANGUAGES: readonly (readonly [tag: string, name: string])[] = TAGS.map((tag) => [tag, languageName(tag)])

/** Time zones to choose from (IANA). */
export const ZONES: readonly string[] = ['UTC', ...Intl.supportedValuesOf('timeZone')]
