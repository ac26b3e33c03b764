/** Why a request that nobody answered is no visitor who looked for a page. */
export const NOISE_KINDS = ['scanner', 'icon', 'probe', 'part of a page'] as const
export type NoiseKind = (typeof NOISE_KINDS)[number]

/** The rule by which noise is told from missed pages, as it is told to people. */
export const NOISE_WORDS = [
  'Scanners ask for other people’s programs: .php, .asp, .env, .git, wp-…, cgi-bin, admin consoles, and paths that climb out of the site.',
  'Browsers and telephones ask for icons by themselves: favicon.ico, apple-touch-icon….',
  'Robots and services ask for well-known files: robots.txt, ads.txt, sitemap…, .well-known/….',
  'Pictures, scripts, styles, fonts and the like are parts of a page, and not a page.',
] as const

const ICON = /^\/(?:favicon|apple-touch-icon|browserconfig|mstile|android-chrome)[^/]*$/i
const PROBE =
  /^\/(?:\.well-known\/|robots\.txt$|(?:app-)?ads\.txt$|security\.txt$|humans\.txt$|sitemap[^/]*\.xml|crossdomain\.xml$|manifest\.json$|site\.webmanifest$)/i
const SCANNER =
  /\.(?:php\d?|phtml|aspx?|jspx?|cgi|env|ini|sql|bak|old|swp|sh|cfg|conf|ya?ml|log|exe|dll|pem|key)$|\/(?:\.(?!well-known)[^/]|cgi-bin|wp-[\w-]+|wordpress|xmlrpc|phpmyadmin|pma|adminer?|administrator|actuator|boaform|hnap1|owa|vendor\/|solr|jenkins|manager\/html|_ignition|telescope|debug|console|setup\.cgi)(?:\/|$|\.)|\/\.\.|%00|%2e%2e/i
const PART =
  /\.(?:png|jpe?g|gif|webp|avif|svg|ico|bmp|css|m?js|map|json|xml|txt|woff2?|ttf|otf|eot|mp[34]|m4a|ogg|webm|wav|avi|mov|zip|gz|rar|7z|dmg|apk|rss|atom|wasm)$/i

/** What kind of noise a request for a path is; null for one that a visitor may have made who looked for a page. @param path - as sent, without query */
export function noiseOf(path: string): NoiseKind | null {
  if (ICON.test(path)) return 'icon'
  if (PROBE.test(path)) return 'probe'
  if (SCANNER.test(path)) return 'scanner'
  return PART.test(path) ? 'part of a page' : null
}

/** Whether a missing address may be answered by a page for people: never for what a page, a robot or a program asks for. */
export const isPageLike = (path: string, accept: string | undefined): boolean =>
  noiseOf(path) === null && (accept === undefined || accept === '' || /text\/html|\*\/\*/i.test(accept))
