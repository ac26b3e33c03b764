import { LIST_DEPTH_MAX, PAGE_DEPTH_MAX, PAGE_LINKS_MAX, PAGE_MAX_BYTES } from '../core/content/index.ts'
import { ASKED_PATH_MAX_CHARS, HOLES_MAX } from '../core/routing/index.ts'
import { ONE_FILE_MAX_BYTES } from './files.ts'
import { UNPACKED_MAX_BYTES, UPLOAD_MAX_BYTES } from './imports.ts'
import { SORTED_MAX } from './short-links.ts'

const MB = 1024 * 1024

/** Every refusal the API knows: its HTTP status and the sentence a person reads (RFC 9457 "title"). One row a fault. */
export const PROBLEMS = {
  'not-signed-in': [401, 'Please sign in first.'],
  forbidden: [403, 'Your role does not allow this.'],
  'cross-site': [403, 'This request came from another site, so it was not carried out.'],
  'not-found': [404, 'There is nothing here by that name.'],
  'wrong-method': [405, 'This address does not take that kind of request.'],
  'wrong-password': [401, 'That e-mail address and password do not go together.'],
  'too-many-tries': [429, 'Too many tries. Please wait a little before the next one.'],
  'invalid-body': [422, 'Something in the request cannot be used.'],
  'not-json': [400, 'The request is not readable as JSON.'],
  'owner-decides': [403, 'This is for an owner of the site to decide.'],
  'moved-on': [409, 'Somebody saved a newer version in the meantime. Nothing of yours was lost, and nothing of theirs.'],
  'menu-broken': [
    409,
    'What is stored of this menu cannot be read, so nothing is saved over it. Go back to an older version in its history.',
  ],
  'address-empty': [422, 'There is no address in this.'],
  'address-too-long': [422, 'This address is too long. 8,000 characters are the most.'],
  'address-control-character': [
    422,
    'This address holds control characters that nobody can see. Copy it again from the browser’s address bar.',
  ],
  'address-forbidden-scheme': [422, 'Readers cannot follow an address like this.'],
  'address-unknown-scheme': [422, 'Browsers do not know this kind of address.'],
  'address-unreadable': [422, 'This is not an address. Copy it from the browser’s address bar.'],
  'address-not-outside': [422, 'A short link needs a full web address to lead to.'],
  'slug-taken': [409, 'This short link is taken.'],
  'slug-reserved': [422, 'This word is asked for by robots and browsers, so it cannot be a short link.'],
  'course-never': [422, 'It would end before it begins.'],
  'course-weights': [422, 'The shares of a split sum up to nothing: give at least one destination a share.'],
  'course-limit': [422, 'A limit of clicks is at least 1; leave it empty for none.'],
  'course-ending': [422, 'Say where visitors are to be sent when it is over.'],
  'slug-of-two': [422, 'The same slug is named twice.'],
  'qr-contrast': [
    422,
    'These colours are too much alike: a camera would not read the code. The dark one has to be much darker than the light one.',
  ],
  'qr-too-small': [422, 'At this size no camera would read it. Choose a larger one.'],
  'status-unknown': [422, 'A short link answers with 301, 302, 307 or 308.'],
  'title-too-long': [422, 'A title has 300 characters at most.'],
  'slug-malformed': [422, 'A short link takes small letters, digits, and hyphens between them.'],
  'slug-too-long': [422, 'This is too long to be said. 60 characters are the most.'],
  'no-short-host': [422, 'This site has no such host for short links.'],
  'path-too-deep': [422, 'A row for everything under a path can be 32 folders deep.'],
  'path-too-long': [422, `The path of a row can have ${ASKED_PATH_MAX_CHARS.toLocaleString('en')} characters.`],
  'pattern-unreadable': [422, 'This pattern cannot be read.'],
  'pattern-needs-memory': [
    422,
    'This expression has to go back over what it has read, which can take for ever. Write it without look-around, back-references and possessive repeats.',
  ],
  'pattern-too-large': [422, 'This pattern is too large. Say it with less, or with several rows.'],
  'destination-unreadable': [422, 'This is no address to lead to.'],
  'destination-refused': [
    422,
    'A redirect leads to a path of the site, which begins with “/”, or to a full web address, whose host stands in it as it is.',
  ],
  'destination-group-unknown': [422, 'The destination names a part that nothing in the pattern catches.'],
  'destination-holes': [422, `A destination takes at most ${HOLES_MAX} parts of what was caught.`],
  'destination-control': [422, 'A line end or another control stands in the destination. Take it out.'],
  'destination-log-in': [
    422,
    'The destination holds a user name or password, which every visitor would be sent. Leave out what stands before the “@”.',
  ],
  'redirect-to-itself': [422, 'This row would lead to itself, and visitors in a circle.'],
  'redirects-too-many': [
    422,
    'There is no room for this row: so many can be asked about one address, since it is visitors who wait for them.',
  ],
  'redirect-goes-round': [422, 'This row would send visitors round in a circle.'],
  'redirect-under-slug': [409, 'A short link has this address, and answers before this row.'],
  'slug-hides-redirect': [409, 'A redirect answers at this address, and this slug would hide it.'],
  'redirect-hides-page': [409, 'A page is published at this address, and this row would hide it.'],
  'unknown-host': [422, 'This host is not one of the site’s.'],
  'patches-unfit': [422, 'The change does not fit the text it was made on.'],
  'encoding-unpatchable': [422, 'The page’s encoding does not allow a change in this place.'],
  'upload-missing': [422, 'Choose a zip file, or HTML files, to bring in.'],
  'tokens-too-many': [422, 'A person can have 100 tokens. Revoke one that nobody uses any more.'],
  'people-too-many': [422, 'A site can have 500 people. Take somebody away who is gone.'],
  'uploads-full': [
    413,
    'Too much that was sent is waiting to be worked on: 1 GB a person, 2 GB a site. Let those jobs end, or stop them, then send it again.',
  ],
  'upload-too-large': [413, `An upload can have ${UPLOAD_MAX_BYTES / MB} MB, and ${UNPACKED_MAX_BYTES / MB} MB unpacked.`],
  'page-links-relative': [422, 'This page names other pages and files by where it stands itself, so it cannot move to another folder.'],
  'path-taken': [409, 'Something has this address already.'],
  'path-unreadable': [422, 'This is not a path of the site. It starts with “/” and has no “?” or “#”.'],
  'time-passed': [422, 'This moment has passed. Choose a later one.'],
  'page-too-large': [413, `A page can have ${PAGE_MAX_BYTES / MB} MB. Split it into several.`],
  'page-too-many-links': [422, `A page can have ${PAGE_LINKS_MAX.toLocaleString('en')} links. Split it into several.`],
  'page-too-deep': [
    422,
    `This page is nested more than ${PAGE_DEPTH_MAX.toLocaleString('en')} elements deep, which no browser shows as it was meant.`,
  ],
  'page-lists-too-deep': [422, `Lists and quotes can be nested ${LIST_DEPTH_MAX} deep.`],
  'file-too-large': [413, `A file can have ${ONE_FILE_MAX_BYTES / MB} MB. Larger ones come in with a zip.`],
  'file-kind-refused': [422, 'This kind of file is not taken.'],
  'file-not-what-it-says': [422, 'This file is not what its name says.'],
  'file-in-use': [409, 'This file is in use.'],
  'template-unclosed': [422, 'A brace in this template has no partner. Placeholders stand between { and }.'],
  'template-places-touch': [422, 'Two placeholders need something between them, and a template takes 12 of them at most.'],
  'template-without-account': [
    422,
    'A link template needs {account}, and your number with the partner, or nobody would know who sent the visitor.',
  ],
  'sites-missing': [422, 'Give at least one site of the partner’s. Only a network can be without.'],
  'sites-overlap': [409, 'This site belongs to another partner already. A link can be paid for by one only.'],
  'network-unknown': [422, 'There is no such network. Add it first, and say that it is a network.'],
  'partners-too-many': [422, 'A site can have 2,000 partners.'],
  'banners-too-many': [422, 'A partner can have 500 banners in the library. Take one out first.'],
  'list-too-long': [413, 'A table of partners can have 4,000,000 characters.'],
  'move-too-large': [
    422,
    'More than 2,000 short links or redirects lead there: too many to be reviewed in one step. Change them by lists.',
  ],
  'log-in-sealed': [409, 'This log-in was kept with another secret, so it cannot be opened. Type it in once more.'],
  'list-unreadable': [422, 'This is no table that can be read. The first line names its columns.'],
  'no-partner': [422, 'This is no page of any of your partners.'],
  'programme-ended': [422, 'This programme has ended; a link would earn nothing.'],
  'deep-link-refused': [422, 'This programme only takes links to its front page.'],
  'list-too-long-to-sort': [
    422,
    `Only ${SORTED_MAX.toLocaleString('en')} short links can be put in this order. Narrow the list by words, a tag, a partner or what becomes of them.`,
  ],
  'no-link-left': [422, 'Nothing in this code could be linked once its scripts and counters are left out.'],
  'words-not-there': [422, 'These words do not stand in that sentence, or something in them cannot be linked.'],
  'note-too-long': [422, 'A note has 2,000 characters at most.'],
  'tags-unfit': [422, 'A short link has at most 20 tags of 60 characters, parted by commas.'],
  'picture-away': [422, 'The picture could not be fetched: {why}.'],
  'snippet-too-long': [422, 'Code of a banner has 50,000 characters at most.'],
  'phrases-too-many': [422, 'A site can have 20,000 phrases.'],
  'phrase-leads-nowhere': [422, 'A phrase leads to a page of a partner’s, to a short link, or to a page of your own.'],
  'disclosure-empty': [422, 'Write first what readers are told about paid links.'],
  'report-unreadable': [422, 'This is no table. Ask the partner for its report as CSV.'],
  'report-too-large': [413, 'A report can have 25 MB.'],
  'report-column-missing': [422, 'A report needs a column with the date and one with your commission.'],
  'report-built-on': [409, 'A later report has corrected its lines. Take that one back first.'],
  'template-unknown-placeholder': [422, 'A link template knows {account}, {url}, {path} and {sub}.'],
  'template-without-destination': [422, 'A link template needs {url} or {path}, or every link would lead to the same place.'],
  'template-not-an-address': [422, 'This template does not make an address.'],
  cancelled: [409, 'It was stopped, and nothing of it was kept.'],
  'job-not-ready': [409, 'This job is not in a state in which that can be done.'],
  'host-taken': [409, 'This host is in use already.'],
  'host-is-studio': [422, 'The studio itself answers on this host.'],
  'origin-out-of-bounds': [422, 'This address is this very server’s: it would ask itself for ever.'],
  'inside-not-allowed': [422, 'This address lies inside a private network. An owner has to allow that it is asked from here.'],
  'nothing-to-change': [422, 'None of these links would change.'],
  'already-undone': [409, 'This has been taken back already.'],
  'nothing-to-publish': [422, 'Everything is live already.'],
  'email-taken': [409, 'Somebody has this e-mail address already.'],
  'last-owner': [409, 'A site needs an owner who can sign in. Make somebody else one first.'],
  'person-elsewhere': [409, 'They belong to other sites as well, so that their name and password are not yours to change.'],
  'person-not-in-yet': [409, 'They were added to another site and have not come in there yet. Add them once they have.'],
  'last-site-host': [409, 'Pages need a host to be on. Add another one first, or give this one another name.'],
  'prefix-only-short': [422, 'Only short links have a prefix.'],
  'password-not-yours': [422, 'That is not your password as it is now.'],
  'link-used': [410, 'This link was used already, or its time is over. Ask for a new one.'],
  'set-up-done': [410, 'This code was used already, or another start printed a newer one.'],
  'partner-unknown': [422, 'There is no such partner.'],
  'name-taken': [409, 'That name is taken.'],
  'body-too-large': [413, 'This is more than is taken at once. 25 MB are the most for a call, and 16 kB for a form.'],
  'work-too-slow': [422, 'This takes too long to work out, so it was given up. Give less at once.'],
  'work-too-large': [422, 'This takes more memory to work out than there is for it. Give less at once, or nest it less deeply.'],
  'work-broke': [422, 'This could not be worked out.'],
  'links-being-read': [
    503,
    'The links of this site are being read first, which takes a while after much has come in. Ask again in a moment.',
  ],
  'database-slow': [
    503,
    'The database took too long for this, so it was given up. Nothing was changed. Ask for less at once, or again later.',
  ],
  'studio-away': [503, 'The studio is starting again. What you did is kept in this browser, and readers notice nothing.'],
  'database-away': [503, 'The database does not answer. What you did is kept in this browser and is saved when it is back.'],
  internal: [500, 'Something went wrong on our side.'],
} as const satisfies Record<string, readonly [number, string]>

export type Fault = keyof typeof PROBLEMS

/** A fault as a sentence, with what is known of the case. */
export const sentenceOf = (fault: string, { why }: Readonly<Record<string, unknown>> = {}): string =>
  `${isFault(fault) ? PROBLEMS[fault][1] : fault}${typeof why === 'string' && why !== '' ? ` ${why.charAt(0).toUpperCase()}${why.slice(1)}.` : ''}`

export const isFault = (name: string): name is Fault => name in PROBLEMS

/** An RFC 9457 problem as it travels. `detail` says what was wrong in this case; `fault` is for programs. */
export interface Problem {
  readonly type: string
  readonly title: string
  readonly status: number
  readonly detail?: string
  readonly fault: Fault
  readonly facts?: Readonly<Record<string, unknown>>
  readonly id?: string
}

/** A fault as it travels, with what is known of this case. @param id - its number in the log */
export function problemOf(fault: Fault, detail: Readonly<Record<string, unknown>> = {}, id?: string): Problem {
  const [status, title] = PROBLEMS[fault]
  return {
    type: `urn:map-rope:${fault}`,
    title,
    status,
    fault,
    ...(typeof detail.why === 'string' ? { detail: detail.why } : {}),
    facts: detail,
    ...(id === undefined ? {} : { id }),
  }
}
