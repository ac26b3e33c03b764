import { counted, number } from '../locale.ts'

const quoted = (words: readonly string[]): string => words.map((word) => `“${word}”`).join(', ')
const few = (count: number): string => (count === 2 ? 'two' : 'three')

/** Rows of redirects, patterns, logs, trials, why a page is suggested. */
export const redirects = {
  'redirect.backslash': 'no address has a backslash: browsers turn it into “/”, and where it is meant it is written “%5C”',
  'pattern.no-name': 'a name has to follow the colon',
  'pattern.name-twice': ({ name }: { name: string }) => `the name “${name}” is there twice`,
  'pattern.bracket': 'this bracket is empty, not closed, or holds a group',
  'pattern.backslash': 'nothing follows the backslash',
  'pattern.brace': 'this brace is not closed, or holds more than one group',
  'pattern.closes-nothing': ({ sign }: { sign: string }) => `“${sign}” closes nothing`,
  'pattern.repeats-nothing': ({ sign }: { sign: string }) => `“${sign}” repeats nothing`,
  'log.error-httpd': 'an error log of Apache httpd',
  'log.error-nginx': 'an error log of nginx',
  'log.w3c': 'a log in the W3C Extended format',
  'log.json': 'a log in JSON',
  'log.xml': 'a sitemap or another document in XML',
  'log.system': 'a log of the system',
  'log.addresses': 'a list of addresses',
  'redirect.same-address-as-line': ({ line }: { line: number }) => `Line ${line} is for the same address.`,
  'redirect.goes': ({ stops }: { stops: string }) => `it goes ${stops}`,
  'redirect.page-first': 'A page is published there, which answers first.',
  'redirect.never-asked': ({ from }: { from: string }) => `It is never asked: the row for ${from} comes before it.`,
  'redirect.no-page': ({ path }: { path: string }) => `There is no page at ${path}.`,
  'redirect.leads-on': ({ stops }: { stops: string }) => `It leads on: ${stops}.`,
  'redirect.changed-meanwhile': 'Somebody changed it meanwhile.',
  'redirect.too-many-parameters': ({ most, asked }: { most: number; asked: number }) =>
    `a row can ask for ${most} parameters, and this one asks for ${asked}`,
  'redirect.too-many-patterns': ({ most }: { most: number }) => `there are ${number(most)} patterns and expressions`,
  'redirect.rows-under': ({ from }: { from: string }) => `rows for everything under ${from}`,
  'redirect.rows-for': ({ from }: { from: string }) => `rows for ${from}`,
  'redirect.patterns-without-letters': 'patterns that fix no four letters in a row',
  'redirect.patterns-with': ({ letters }: { letters: string }) => `patterns for paths with “${letters}”`,
  'redirect.short-link-there': ({ destination }: { destination: string }) => `the short link there leads to ${destination}`,
  'redirect.unseen': ({ from }: { from: string }) => `${from} would no longer be seen by anybody`,
  'redirect.row-there': ({ from }: { from: string }) => `There is a row for ${from} already.`,
  'redirect.trial-unreadable': 'the rows that are to be tried cannot be read',
  'trial.no-log': 'This is no access log: not one of its lines is in the Common or Combined Log Format.',
  'trial.looks-like': ({ looks }: { looks: string }) =>
    `This looks like ${looks}. What is replayed is an access log, in the Common or Combined Log Format.`,
  'trial.file-gone': 'The file is no longer here. Please send it again.',
  'trial.log-too-large': 'Unpacked, this log is larger than is looked at. Send it in parts.',
  'trial.damaged': 'This file is damaged and cannot be unpacked to its end.',
  'trial.no-address': 'No old address was found in it.',
  'trial.part-unread': ({ address, why }: { address: string; why: string }) =>
    `This sitemap names others, and ${address} could not be read: ${why}`,
  'trial.sitemap-too-large': 'A sitemap can have 50 MB. Send its parts one by one.',
  'trial.sitemap-damaged': 'This sitemap is damaged, or has more than 50 MB unpacked. Send its parts one by one.',
  'trial.sitemap-slow': 'This sitemap takes too long to read. Send its parts one by one.',
  'list.httpd': 'A configuration of Apache httpd',
  'list.nginx': 'A configuration of nginx',
  'list.gone': 'The list is no longer here. Please send it again.',
  'list.rows-stay': ({ rows }: { rows: number }) =>
    `${number(rows)} rows were brought in until then, and stay; they can be taken back as one.`,
  'list.no-plain-text': 'This is no plain text. Save it as text in Unicode, and send it again.',
  'list.no-list': 'This is no list: it holds signs that no text has. A spreadsheet has to be saved as CSV first.',
  'list.names-of-columns': 'No address stands in it: it is taken for the names of the columns.',
  'list.line-broken': 'This line is no part of a list: a quote has no end, or it is too long.',
  'list.no-old-address': 'It says no old address.',
  'list.no-new-address': 'It says no new address.',
  'list.conditions-unreadable': 'Its conditions cannot be read.',
  'list.no-json': 'This is no JSON.',
  'list.json-no-list': 'The JSON has to be a list of rows.',
  'list.any': 'A list',
  'redirect.there-are': ({ most, what }: { most: number; what: string }) => `there are ${most} ${what}`,
  'redirect.notes': ({ notes }: { notes: readonly string[] }) => notes.join(' '),
  'redirect.was': ({ status, to, isOn }: { status: number; to: string; isOn: boolean }) =>
    `It was ${status}${to === '' ? '' : ` to ${to}`}${isOn ? '' : ', off'}.`,
  'redirect.catches-all': 'It catches whatever has no page.',
  'redirect.catches-robots': 'It catches whatever has no page, /robots.txt too.',
  'redirect.never-reached': ({
    rows,
    visits,
    names,
    areMore,
  }: {
    rows: number
    visits: number
    names: readonly string[]
    areMore: boolean
  }) => {
    const used = visits === 0 ? '' : `, which answered ${number(visits)} visits in the last 30 days`
    return `${rows === 1 ? 'A row is' : `${number(rows)} rows are`} never reached for it${used}: ${names.join(', ')}${areMore ? ' and others' : ''}.`
  },
  'redirect.taken-back': 'Taken back',
  'redirect.mended': ({ rows }: { rows: number }) => `Mended ${counted(rows, 'row')}`,
  'redirect.switched-off': 'switched off',
  'redirect.removed': 'taken away',
  'suggest.stood-here': 'this page stood here before',
  'suggest.said-the-same': 'the page that stood here said the same',
  'suggest.same-words': 'the same words',
  'suggest.other-place': 'the same name in another place',
  'suggest.other-order': 'the same words in another order',
  'suggest.word-left-out': 'one word left out',
  'suggest.word-too-many': 'one word too many',
  'suggest.nearly': ({ word, meant }: { word: string; meant: string }) => `“${word}” is nearly “${meant}”`,
  'suggest.title': 'its title says what was asked for',
  'suggest.name-nearly': 'its name is written nearly so',
  'suggest.but-ending': 'the same but for its ending',
  'suggest.but-capitals': 'the same but for capitals',
  'suggest.but-accents': 'the same but for accents',
  'suggest.but-signs': 'the same but for the signs between its words',
  'suggest.letter-left-out': 'one letter left out',
  'suggest.letter-too-many': 'one letter too many',
  'suggest.letters-swapped': 'two letters swapped',
  'suggest.letter-different': 'one letter is different',
  'missed.scanners': ({ most }: { most: number }) =>
    `Programs that try doors: one visitor who asks for ${most} addresses or more in vain and sees no page; files of a kind that this site never had; hidden files; and paths that climb out of the site.`,
  'missed.icons': 'Browsers and telephones ask for icons by themselves.',
  'missed.probes':
    'Robots and services ask for well-known files: robots.txt, .well-known/…, and other text for programs at the top of a site.',
  'missed.parts': 'Pictures, scripts, styles, fonts and the like are parts of a page, and not a page.',
  'precedence.pages': 'A published page comes before every row that does not say otherwise.',
  'precedence.conditions': 'A row with a condition comes before one without.',
  'precedence.matches': 'An exact path comes before “everything under”, and that before patterns and expressions.',
  'precedence.longest':
    'Of “everything under”, the longest path comes first; of patterns and expressions, the one with the most fixed text.',
  'precedence.hosts': 'A row for certain hosts comes before one for all.',
  'precedence.order': 'Where all of that is the same, the row that stands first in the table.',
  'suggest.score':
    'The number is how likely it is that this page was meant: of a hundred suggestions at 80, eighty or more are right. It was measured on made-up moves of many kinds.',
  'suggest.score-name':
    'Most tells the last part of the address: its letters, how rare they are on your site, and its numbers, beside the names and titles of your pages.',
  'suggest.score-folders':
    'Folders decide between pages whose names are alike. So do old addresses of a page, and the title and text of the page that once stood there.',
  'suggest.score-equal': 'Where two pages are equally near, neither is sure.',
  'suggest.was-about': ({ words }: { words: readonly string[] }) => `the page that stood here was about ${quoted(words)}, too`,
  'suggest.nearly-and-shares': ({ word, meant, words }: { word: string; meant: string; words: readonly string[] }) =>
    `“${word}” is nearly “${meant}”, and it shares ${quoted(words)}`,
  'suggest.letters-of-name': ({ letters }: { letters: number }) =>
    letters === 1 ? 'one letter of its name is different' : `${letters} letters of its name are different`,
  'suggest.shares': ({ words }: { words: readonly string[] }) => `shares ${quoted(words)}`,
  'suggest.letters-left-out': ({ letters }: { letters: number }) => `${few(letters)} letters left out`,
  'suggest.letters-too-many': ({ letters }: { letters: number }) => `${few(letters)} letters too many`,
  'suggest.letters-different': ({ letters }: { letters: number }) => `${few(letters)} letters are different`,
} as const
