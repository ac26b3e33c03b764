/** The areas as stops, in the order of the work. An area joins when its screen does. */
export const AREAS = [
  { name: 'Desk', path: '/' },
  { name: 'Pages', path: '/pages' },
  { name: 'Links', path: '/links' },
  { name: 'Short links', path: '/short-links' },
  { name: 'Redirects', path: '/redirects' },
  { name: 'Partners', path: '/partners' },
  { name: 'Rules', path: '/rules' },
  { name: 'Settings', path: '/settings' },
] as const
