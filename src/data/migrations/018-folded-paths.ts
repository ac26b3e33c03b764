/** Pages are found whose address differs by capitals alone; and which kinds of file a site ever had is told by the endings of its paths. */
export const foldedPaths = {
  name: '018-spelling',
  up: `
CREATE FUNCTION path_ending(path text) RETURNS text LANGUAGE sql IMMUTABLE PARALLEL SAFE
  RETURN lower(substring(path from '\\.([A-Za-z0-9]{1,8})$'));
CREATE INDEX pages_folded ON pages (site_id, md5(lower(path))) WHERE kind = 'page';
CREATE INDEX pages_endings ON pages (site_id, path_ending(path));
CREATE INDEX files_endings ON files (site_id, path_ending(path));
CREATE INDEX redirects_endings ON redirects (site_id, path_ending(source)) WHERE path_ending(source) IS NOT NULL;`,
} as const
