/** Which links are chosen: by their place among all placements, or all that the list shows. */
export type Chosen = { readonly all: true } | { readonly all: false; readonly indexes: ReadonlySet<number> }
export const NOTHING: Chosen = { all: false, indexes: new Set() }
