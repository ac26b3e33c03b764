/** What can be allowed. A role allows some; a token's scopes allow some of those, or all with "*". */
export const PERMISSIONS = [
  'addresses:read',
  'pages:read',
  'pages:edit',
  'pages:publish',
  'imports:run',
  'exports:read',
  'rules:read',
  'rules:edit',
  'short-links:read',
  'short-links:edit',
  'redirects:read',
  'redirects:edit',
  'partners:read',
  'partners:edit',
  'hosts:read',
  'hosts:edit',
  'people:edit',
  'tokens:edit',
] as const
export type Permission = (typeof PERMISSIONS)[number]
