import { partMark } from '../src/core/blocks/index.ts'

/** The pages of The Slow Ferry, a made-up magazine. `[words](name)` is a link; names are looked up in `destinations`. */
export interface DemoPage {
  readonly name: string
  readonly title: string
  readonly body: readonly string[]
}

/** Where the demo's links lead. @param shops - port of the stand-ins. @param own - port of Map Rope */
export function destinations(shops: number, own: number): Readonly<Record<string, string>> {
  const shop = (host: string, path: string): string => `http://${host}.localhost:${shops}${path}`
  return {
    home: 'index.html',
    skarrow: 'islands/skarrow.html',
    mew: 'islands/great-mew.html',
    tern: 'islands/tern-holm.html',
    hollin: 'islands/hollin.html',
    times: 'timetables.html',
    pack: 'what-to-pack.html',
    rooms: 'rooms-by-the-quay.html',
    walk: 'walks/causeway.html',
    notes: 'harbour-notes/spring.html',
    winter: 'harbour-notes/winter.html',
    about: 'about.html',
    list: 'files/packing-list.txt',
    chart: 'files/chart.svg',
    smock: shop('gannet-line', '/smocks/waxed?p=4471'),
    boots: shop('gannet-line', '/boots/deck?p=4471'),
    cap: shop('gannet-line', '/caps/oilskin?p=4471'),
    six: shop('bothy-beds', '/rooms/six-bunks?ref=slowferry'),
    loft: shop('bothy-beds', '/rooms/net-loft?ref=slowferry'),
    sheet: shop('contour-kiosk', '/sheets/14?a=slowferry'),
    sheets: shop('contour-kiosk', '/sheets?a=slowferry'),
    kiosk: shop('contour-kiosk', '/closed'),
    tides: shop('kelp-lane-books', '/books/reading-tides?via=slow-ferry'),
    birds: shop('kelp-lane-books', '/books/birds-of-the-skerries?via=slow-ferry'),
    network: shop('tidemark', '/c/4471/gannet-line?to=%2Fsmocks%2Fwaxed'),
    hide: shop('ternwatch', '/hides/north'),
    weather: shop('harbour-weather', '/skarrow'),
    prints: shop('loft-prints', '/crossing'),
    society: shop('ferry-society', '/history'),
    goSmock: `http://sferry.localhost:${own}/go/smock`,
    goBunks: `http://sferry.localhost:${own}/go/bunks`,
    mail: 'mailto:deckhand@slow-ferry.example',
    call: 'tel:+441632960123',
  }
}

export const DEMO_PAGES: readonly DemoPage[] = [
  {
    name: '404.html',
    title: 'Adrift',
    body: ['There is no page at this address. It may have been moved, or never tied up here.', '@suggestions'],
  },
  {
    name: 'index.html',
    title: 'The Slow Ferry',
    body: [
      'Small boats, short crossings, long walks. We write about the four islands of the [Skarrow](skarrow) sound and the people who tie the ropes.',
      'New this month: [the causeway on foot](walk), [what the harbour said this spring](notes), and a [packing list](list) that fits into one bag.',
      'If you only have a day, take the ten past seven to [Great Mew](mew) and be back for soup. The [timetables](times) are ours, the [weather](weather) is not.',
    ],
  },
  {
    name: 'islands/skarrow.html',
    title: 'Skarrow in two tides',
    body: [
      'The morning boat leaves [Hollin quay](hollin) at ten past seven, and nobody on it is in a hurry. Bring a layer more than the forecast suggests; our deckhand swears by the [waxed smock from Gannet & Line](goSmock), and so, after one crossing in March, do we.',
      'From the slip it is twenty minutes to the [bird hide](hide). The [tide table](times) matters here: the causeway is dry for four hours and the [sheet map](sheet) from the [harbour kiosk](kiosk) marks the last safe turn.',
      'Stay the night if you can. [Bothy Beds has six bunks](goBunks) above the old net loft, and the last boat back is not the best one.',
    ],
  },
  {
    name: 'islands/great-mew.html',
    title: 'Great Mew on foot',
    body: [
      'Great Mew is three miles round if you keep to the shore and four if you do not. Click [here](sheets) for the map we use, and [here](weather) for the wind.',
      'The path below the light is slippery until May. We wore [deck boots](boots) and were glad of them; the [winter notes](winter) say why.',
      'There is no shop. There is a bench, a view of Tern Holm, and a box with [somebody’s photographs of the crossing](prints).',
    ],
  },
  {
    name: 'islands/tern-holm.html',
    title: 'Tern Holm, population nine',
    body: [
      'Nobody lives on Tern Holm in winter except the keeper and, since last year, her sister. The boat calls on [Tuesdays and Fridays](times).',
      'Take [Birds of the Skerries](birds) and leave it in the hut when you go. The [northern hide](hide) is open from April.',
      'The crossing from [Skarrow](skarrow) takes forty minutes, fifty with a head wind. The [ferry society](society) knows every boat that ever made it.',
    ],
  },
  {
    name: 'islands/hollin.html',
    title: 'Hollin, where the road ends',
    body: [
      'The road ends at Hollin quay, and so does the signal. Park behind the chapel; the [quay office](call) has the key.',
      'The quay has four [rooms with a view of the slip](rooms), of which [the net loft](loft) is the one to ask for.',
      'Boats to [Great Mew](mew) and [Skarrow](skarrow) leave from the lower step, which is under water twice a day.',
    ],
  },
  {
    name: 'timetables.html',
    title: 'Timetables',
    body: [
      'Summer: ten past seven, eleven, four, and one more when the skipper feels like it. Winter: ask [the quay office](call).',
      'Tides move everything by up to an hour. [Reading Tides](tides) is the little book that made us stop asking; the [harbour weather](weather) page does the rest.',
      'The causeway to [Skarrow](skarrow) is dry for four hours. The [walk](walk) takes two, so there is time for one mistake.',
    ],
  },
  {
    name: 'what-to-pack.html',
    title: 'What to pack',
    body: [
      'One bag. A [waxed smock](smock), [boots that have been wet before](boots), an [oilskin cap](cap) and something to read on the return, such as [Reading Tides](tides).',
      'The [sheet map 14](sheet) covers all four islands. Our [packing list](list) fits on one page and has a line for soup.',
      'Things we have never needed: an umbrella, a second umbrella.',
    ],
  },
  {
    name: 'rooms-by-the-quay.html',
    title: 'Rooms by the quay',
    body: [
      'Four places to sleep within sight of a rope. [Six bunks](six) above the net loft for those who share, [the loft itself](loft) for those who do not.',
      'Book by [mail](mail); the house has no telephone and likes it. The [timetables](times) say which boat still gets you there for supper.',
      'Two more rooms are on [Tern Holm](tern), from April, with the keeper’s leave.',
    ],
  },
  {
    name: 'walks/causeway.html',
    title: 'The causeway on foot',
    body: [
      'Two hours over, two hours back, and four hours of dry stones to do it in. Start from [Hollin](hollin) as the ebb begins; the [tide table](times) is pinned to the hut.',
      'The [chart](chart) shows the last safe turn. The [sheet from Contour Kiosk](sheet) shows it better. Do not follow [somebody else’s footprints](prints).',
      'The one thing that mattered was the [smock](network).',
    ],
  },
  {
    name: 'harbour-notes/spring.html',
    title: 'Harbour notes: spring',
    body: [
      'The first terns came on the second of April, the first visitors on the third. The [hide](hide) has a new roof.',
      'Written in part for Gannet & Line, who repaired our awning: the [spring smocks](smock) are in, and the [deck boots](boots) come in small sizes now.',
      'The [history of the Hollin boats](society) has a new chapter. Our own has a new deckhand.',
    ],
  },
  {
    name: 'harbour-notes/winter.html',
    title: 'Harbour notes: winter',
    body: [
      'Three weeks without a boat to [Tern Holm](tern). The keeper had [books](birds) and the rest of us had [soup](rooms).',
      'The light on [Great Mew](mew) was out for a night; [the weather page](weather) was not.',
      'We read [Reading Tides](tides) aloud, twice. Next year: [Birds of the Skerries](birds).',
    ],
  },
  {
    name: 'about.html',
    title: 'About us',
    body: [
      'The Slow Ferry is written by three people and one deckhand. Write to [the deckhand](mail).',
      'Some links on these pages earn us a little when you buy something. They pay for the rope. Our partners have no say in what we write.',
      'We began as a notice on the wall of [Hollin quay](hollin), next to the timetable.',
    ],
  },
]

/** The main menu: words and where they lead; a title without a landing has none, and children below it. */
export const NAVIGATION: readonly (readonly [words: string, name: string | null, children?: readonly (readonly [string, string])[]])[] = [
  ['Home', 'home'],
  [
    'Islands',
    null,
    [
      ['Skarrow', 'skarrow'],
      ['Great Mew', 'mew'],
      ['Tern Holm', 'tern'],
    ],
  ],
  ['Timetables', 'times'],
  ['What to pack', 'pack'],
  ['Rooms', 'rooms'],
  ['About us', 'about'],
]

/** A page as the magazine's own template would write it. */
export function renderPage(page: DemoPage, where: Readonly<Record<string, string>>): string {
  const up = '../'.repeat(page.name.split('/').length - 1)
  const address = (name: string): string => {
    const target = where[name]
    if (target === undefined) throw new Error(`The demo links to "${name}", which is nowhere`)
    return escapeHtml(/^[a-z]+:/.test(target) ? target : up + target)
  }
  const link = (words: string, name: string): string => `<a href="${address(name)}">${words}</a>`
  const paragraphs = page.body.map((text) =>
    text === '@suggestions'
      ? '    <!-- suggestions -->'
      : `    <p>${escapeHtml(text).replace(/\[([^\]]+)\]\((\w+)\)/g, (_, words: string, name: string) => link(words, name))}</p>`,
  )
  return `<!DOCTYPE html>
<html lang="en">
<head>
  <meta charset="utf-8">
  <meta name="viewport" content="width=device-width, initial-scale=1">
  <title>${escapeHtml(page.title)}</title>
  <link rel="stylesheet" href="${up}style.css">
</head>
<body>
  <header>
    <a class="mark" href="${address('home')}"><img src="${up}files/boat.svg" alt="The Slow Ferry" width="40" height="28"></a>
    <nav>${partMark('menu', 'main')}</nav>
  </header>
  <main>
    <h1>${escapeHtml(page.title)}</h1>
${paragraphs.join('\n')}
  </main>
  <footer>${partMark('block', 'footer')}</footer>
</body>
</html>
`
}

const escapeHtml = (text: string): string => text.replaceAll('&', '&amp;').replaceAll('"', '&quot;').replaceAll('<', '&lt;')

/** The footer that every page shares; its fields are filled in by a form. */
export const FOOTER = `<p>{{motto}}</p>
<p>Write to <a href="mailto:{{post}}">{{post}}</a>. Some links earn us a little; <a href="/about.html">how that works</a>.</p>
`

/** The other files of the site. */
export const DEMO_FILES: Readonly<Record<string, string>> = {
  'style.css': `:root { color-scheme: light; }
body { margin: 0; font: 18px/1.65 Georgia, "Times New Roman", serif; color: #20303c; background: #fbfaf6; }
header { display: flex; flex-wrap: wrap; align-items: center; gap: 10px 26px; padding: 18px 28px; border-bottom: 1px solid #dcd6c6; background: #eef2f1; }
nav { font-size: 16px; } nav ul { display: flex; flex-wrap: wrap; gap: 6px 18px; list-style: none; margin: 0; padding: 0; } nav li { display: flex; flex-wrap: wrap; gap: 6px 12px; } nav span { color: #5d6a70; }
main { max-width: 38em; margin: 34px auto; padding: 0 28px; }
h1 { font-size: 2em; line-height: 1.2; margin: 0 0 .7em; }
.button { display: inline-block; padding: .4em 1.1em; border-radius: 6px; background: #1d5c74; color: #fff; text-decoration: none; }
blockquote { margin: 1em 0; padding-left: 1em; border-left: 3px solid #dcd6c6; color: #4a5860; } table { border-collapse: collapse; } td, th { border: 1px solid #dcd6c6; padding: .3em .8em; text-align: left; }
a { color: #1d5c74; } img { max-width: 100%; } header img { display: block; }
footer { max-width: 38em; margin: 60px auto 30px; padding: 0 28px; color: #5d6a70; font-size: 15px; }
`,
  'files/boat.svg': `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 40 28"><path d="M3 17h34l-5 8H8z" fill="#20303c"/><path d="M12 16V9h12v7M18 9V3" fill="none" stroke="#20303c" stroke-width="2"/></svg>`,
  'files/chart.svg': `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 300 160"><rect width="300" height="160" fill="#dfeaec"/><path d="M20 120q60-50 120-20t140-60" fill="none" stroke="#7a6a4a" stroke-width="3" stroke-dasharray="6 5"/><text x="20" y="145" font-size="14">Hollin</text><text x="240" y="35" font-size="14">Skarrow</text></svg>`,
  'files/packing-list.txt': 'One bag.\n- smock\n- boots\n- cap\n- map, sheet 14\n- something to read\n- soup\n',
}
