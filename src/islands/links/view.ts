import { FACETS, type Facet, FINDINGS, type Finding, type PlacementQuery, SORTS } from '../../core/placements/index.ts'

/** What a screen of links shows: kept in its address, so that it can be shared and come back to. */
export interface LinksView {
  readonly query: PlacementQuery
  readonly isGrouped: boolean
}

const isFinding = (text: string | null): text is Finding => (FINDINGS as readonly string[]).includes(text ?? '')

/** Reads an address's search part. Anything unknown in it is passed over. */
export function readView(search: string): LinksView {
  const params = new URLSearchParams(search)
  const facets: Partial<Record<Facet, string>> = {}
  for (const facet of FACETS) {
    const value = params.get(facet)
    if (value !== null) facets[facet] = value
  }
  const finding = params.get('finding')
  return {
    isGrouped: params.has('grouped'),
    query: {
      text: params.get('text') ?? undefined,
      destination: params.get('destination') ?? undefined,
      finding: isFinding(finding) ? finding : undefined,
      facets,
      ...orderOf(params.get('sort')),
    },
  }
}

function orderOf(text: string | null): Pick<PlacementQuery, 'sort' | 'isDown'> {
  const sort = SORTS.find((each) => each === text?.replace(/^-/, ''))
  return sort === undefined ? {} : { sort, isDown: text?.startsWith('-') === true }
}

/** The search part of an address for a view; "" for the whole list. */
export function writeView({ query, isGrouped }: LinksView): string {
  const params = new URLSearchParams(filterOf(query))
  if (isGrouped) params.set('grouped', '')
  const text = params.toString()
  return text === '' ? '' : `?${text}`
}

/** A query as the API's filter takes it. */
export function filterOf({ text, destination, finding, facets, sort, isDown }: PlacementQuery): Record<string, string> {
  const order = sort === undefined || (sort === 'page' && isDown !== true) ? undefined : `${isDown === true ? '-' : ''}${sort}`
  return Object.fromEntries(
    Object.entries({ text, destination, finding, ...facets, sort: order }).filter(
      (entry): entry is [string, string] => entry[1] !== undefined && entry[1] !== '',
    ),
  )
}
