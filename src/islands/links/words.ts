import type { BulkChangeBody, BulkChangeDone } from '../../contract/bulk-changes.ts'
import type { Verdict } from '../../core/checks/index.ts'
import type { Facet, Finding, Sort } from '../../core/placements/index.ts'
import { VERDICT_WORDS } from '../checks/words.ts'

/** What a finding is called, in the singular and plural, what is wrong with it, and the change that mends it. */
export interface FindingWords {
  readonly one: string
  readonly many: string
  readonly why: string
  readonly mend: { readonly words: string; readonly change: BulkChangeBody } | null
  readonly isGrave?: boolean
}

export const FINDING_WORDS: Readonly<Record<Finding, FindingWords>> = {
  unmarked: {
    one: 'paid but unmarked',
    many: 'paid but unmarked',
    why: 'They lead to partners who pay, and search engines are not told: a rule or a hand says otherwise. Here they are marked by hand.',
    mend: { words: 'Mark them as paid', change: { do: 'tell', hints: ['sponsored', 'nofollow'] } },
    isGrave: true,
  },
  'does not land': {
    one: 'does not land',
    many: 'do not land',
    why: 'There is no page or file of this site at their address, it is no address at all, or nothing was found where they lead.',
    mend: { words: 'Lead them elsewhere', change: { do: 'lead to', address: '' } },
    isGrave: true,
  },
  'many paid in a paragraph': {
    one: 'more than one paid in a paragraph',
    many: 'more than one paid in a paragraph',
    why: 'One paid link in a paragraph is what readers bear. The first of each paragraph is not counted here and stays.',
    mend: { words: 'Take these links off', change: { do: 'unlink' } },
  },
  'many paid on a page': {
    one: 'beyond what a page bears',
    many: 'beyond what a page bears',
    why: 'Three paid links are what an article bears, and one more for every 400 words of a long one. The first ones are not counted here and stay.',
    mend: { words: 'Take these links off', change: { do: 'unlink' } },
  },
  'no partner': {
    one: 'paid, but no partner’s',
    many: 'paid, but no partner’s',
    why: 'They are marked as paid and lead to no partner’s site. Either a partner is missing from Partners, or the mark is wrong.',
    mend: { words: 'Vouch for them', change: { do: 'tell', hints: [] } },
  },
  'same tab': {
    one: 'outside in the same tab',
    many: 'outside in the same tab',
    why: 'Readers who follow them leave this site.',
    mend: { words: 'Open them in a new tab', change: { do: 'open', opens: 'new tab' } },
  },
  'no noopener': {
    one: 'new tab without noopener',
    many: 'new tab without noopener',
    why: 'The page they open could reach back and change this one (in browsers that still allow it).',
    mend: { words: 'Add noopener', change: { do: 'noopener' } },
  },
  'bare address': {
    one: 'shows its address',
    many: 'show their address',
    why: 'Their words are the address itself. Readers, and those who listen, would rather have the title of where it leads.',
    mend: { words: 'Take the titles as words', change: { do: 'take title' } },
  },
  'says little': {
    one: 'says “here”',
    many: 'say “here”',
    why: 'Heard one by one, these words do not tell where they lead.',
    mend: { words: 'Take the titles as words', change: { do: 'take title' } },
  },
  'no words': {
    one: 'empty',
    many: 'empty',
    why: 'They hold no words and no picture: nobody can see or follow them.',
    mend: { words: 'Take these links off', change: { do: 'unlink' } },
  },
  'picture without words': {
    one: 'picture without words',
    many: 'pictures without words',
    why: 'For those who do not see the picture, the link has no name.',
    mend: { words: 'Take the titles as words', change: { do: 'take title' } },
  },
  http: {
    one: 'http where https is known',
    many: 'http where https is known',
    why: 'Another link of this site leads to the same host by https.',
    mend: { words: 'Change them to https', change: { do: 'https' } },
  },
  'own domain': {
    one: 'own address in full',
    many: 'own address in full',
    why: 'They name this site’s own host; a path alone goes along when the site moves.',
    mend: { words: 'Keep the path alone', change: { do: 'own path' } },
  },
}

export const FACET_WORDS: Readonly<Partial<Record<Facet, string>>> = {
  site: 'Leads to',
  partner: 'Partner',
  strand: 'Told to search engines',
  end: 'Opens',
  state: 'Lands',
  where: 'Hangs on',
  folder: 'In the folder',
  kind: 'Kind',
  words: 'Its words',
  by: 'Decided by',
  tag: 'Tagged',
  verdict: 'Seen there',
}

const VALUE_WORDS: Readonly<Record<string, string>> = {
  'strand vouched': 'vouched',
  'strand ugc': 'visitor’s',
  'end file': 'a file',
  'where page': 'pages',
  'where block': 'shared blocks',
  'where menu': 'menus',
  'by hand': 'a hand',
  'by source': 'as it was written',
  'by sponsor': 'a page written for a partner',
  'by queue': 'waiting for a look',
  'state lands': 'lands',
  'state waits': 'waits for an editor',
  'words says where it leads': 'say where they lead',
  'words says little': 'say “here”',
  'words bare address': 'a bare address',
}

const isVerdict = (value: string): value is Verdict => Object.hasOwn(VERDICT_WORDS, value)

/** A facet's value as people read it. @param names - of partners and rules by their ids */
export function valueWords(
  facet: Facet,
  value: string,
  names: { partners: Readonly<Record<string, string>>; rules: Readonly<Record<string, string>> },
): string {
  if (facet === 'partner') return names.partners[value] ?? value
  if (facet === 'verdict') return isVerdict(value) ? VERDICT_WORDS[value] : value
  if (facet === 'by' && value.startsWith('rule ')) return names.rules[value.slice('rule '.length)] ?? value
  return VALUE_WORDS[`${facet} ${value}`] ?? value
}

/** A bulk change in words, for the list of what was done. */
export function changeWords(change: BulkChangeDone): string {
  switch (change.do) {
    case 'disclose':
      return 'given the disclosure'
    case 'repoint':
      return 'of a partner pointed elsewhere'
    case 'lead to':
      return `lead to ${change.address}`
    case 'replace':
      return `“${change.find}” became “${change.put}”`
    case 'open':
      return change.opens === null ? 'opening left to the rules' : `open in the ${change.opens}`
    case 'tell':
      return change.hints === null
        ? 'hints left to the rules'
        : change.hints.length === 0
          ? 'vouched for'
          : `told ${change.hints.join(' ')}`
    case 'unlink':
      return 'taken off'
    case 'tag':
      return [...change.add.map((tag) => `tagged “${tag}”`), ...change.remove.map((tag) => `tag “${tag}” gone`)].join(', ')
    case 'noopener':
      return 'given noopener'
    case 'take title':
      return 'given their titles as words'
    case 'https':
      return 'changed to https'
    case 'own path':
      return 'kept as paths'
    case 'bake':
      return 'baked into the pages'
  }
}

/** What a list is put in the order of, in words. */
export const SORT_WORDS: Readonly<Record<Sort, string>> = {
  page: 'page and place',
  title: 'title of the page',
  text: 'words',
  href: 'address as written',
  destination: 'destination',
  site: 'site it leads to',
  kind: 'kind of destination',
  strand: 'what search engines are told',
  rel: 'rel, as delivered',
  end: 'how it opens',
  target: 'target, as delivered',
  because: 'who decided',
  state: 'whether it lands',
  tags: 'tags',
  findings: 'number of findings',
}
