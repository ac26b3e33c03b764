import assert from 'node:assert/strict'
import { test } from 'node:test'
import { drawingFault } from '../../../src/core/exchange/index.ts'
import { isTold } from '../../../src/words/index.ts'

const svg = (inner: string, more = ''): string =>
  `<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" ${more}>${inner}</svg>`

const DRAWS: Readonly<Record<string, string>> = {
  'shapes, styles and a title': svg('<title>A boat</title><style>path{fill:red}</style><g><path d="M0 0"/></g>', 'viewBox="0 0 9 9"'),
  'a head and a plain doctype': `<?xml version="1.0"?>\n<!DOCTYPE svg PUBLIC "-//W3C//DTD SVG 1.1//EN" "http://www.w3.org/Graphics/SVG/1.1/DTD/svg11.dtd">\n${svg('<rect/>')}`,
  'what a drawing program leaves': svg(
    '<sodipodi:namedview pagecolor="#fff"/><metadata><rdf:RDF/></metadata>',
    'xmlns:sodipodi="http://sodipodi.example/DTD" xmlns:rdf="http://rdf.example/"',
  ),
  'a prefix of its own': '<s:svg xmlns:s="http://www.w3.org/2000/svg"><s:path d="M0 0"/></s:svg>',
  'parts used again, and links': svg('<defs><g id="a"/></defs><use xlink:href="#a"/><a href="/about.html"><text>about</text></a>'),
  'a picture within': svg('<image href="data:image/png;base64,iVBORw0KGgo="/>'),
  movement: svg('<circle><animate attributeName="r" from="1" to="2"/></circle>'),
}
for (const [what, text] of Object.entries(DRAWS)) test(`a drawing is taken: ${what}`, () => assert.equal(drawingFault(text), null))

const RUNS: Readonly<Record<string, string>> = {
  'a script': svg('<script>alert(1)</script>'),
  'a script behind a prefix': '<x:svg xmlns:x="http://www.w3.org/2000/svg"><x:script>alert(1)</x:script></x:svg>',
  'a script of XHTML': svg('<h:script xmlns:h="http://www.w3.org/1999/xhtml">alert(1)</h:script>'),
  'a script whose namespace is written with references': svg('<h:script xmlns:h="http://www.w3.org/1999/&#120;html">alert(1)</h:script>'),
  'a script of no namespace': '<svg:svg xmlns:svg="http://www.w3.org/2000/svg"><script>alert(1)</script></svg:svg>',
  'HTML inside': svg('<foreignObject><p>x</p></foreignObject>'),
  'a frame of XHTML': svg('<iframe xmlns="http://www.w3.org/1999/xhtml" src="//evil.example"/>'),
  'a handler': svg('<path onload="alert(1)"/>'),
  'a handler on the outermost element': svg('', 'onload="alert(1)"'),
  'an address that runs': svg('<a href="javascript:alert(1)"><text>x</text></a>'),
  'an address that runs, disguised': svg('<a xlink:href="java&#115;cript&#x3a;alert(1)"><text>x</text></a>'),
  'an address that runs, with a tab in it': svg('<a href="java&#9;script:alert(1)"><text>x</text></a>'),
  'a document within an address': svg('<use href="data:image/svg+xml;base64,PHN2Zz4="/>'),
  'an address set by movement': svg('<a><set attributeName="href" to="javascript:alert(1)"/></a>'),
  'an address set by movement, with a prefix': svg('<a><animate attributeName="xlink:href" to="javascript:alert(1)"/></a>'),
  'a style sheet that is a program': `<?xml-stylesheet type="text/xsl" href="#x"?>${svg('')}`,
  'entities of its own': `<!DOCTYPE svg [<!ENTITY a "b">]>${svg('&a;')}`,
  'a handler of SVG Tiny': svg('<handler>alert(1)</handler>'),
  'no drawing at all': '<p>words</p>',
  'nothing that can be read': '<svg',
  'nesting without end': svg(`${'<g>'.repeat(5_000)}${'</g>'.repeat(5_000)}`),
}
for (const [what, text] of Object.entries(RUNS)) test(`a drawing is refused: ${what}`, () => assert.ok(isTold(drawingFault(text))))
