/**
 * What the log of changes tells of a site. "sites" is the site itself, "findings" what people marked as fine, "checks" what is
 * said of destinations; blocks and menus are
 * pages.
 */
export const CAPABILITIES = [
  'pages',
  'files',
  'waiting',
  'publications',
  'short-links',
  'redirects',
  'missed',
  'rules',
  'partners',
  'phrases',
  'disclosure',
  'earnings',
  'hosts',
  'sites',
  'findings',
  'checks',
  'bulk-changes',
  'people',
  'tokens',
] as const
export type Capability = (typeof CAPABILITIES)[number]

/** "published" is told of what visitors get of a page or file, the others of what the studio shows. */
export const CHANGE_KINDS = ['made', 'changed', 'removed', 'published'] as const
export type ChangeKind = (typeof CHANGE_KINDS)[number]
