import { seeded } from '../demo/random.ts'

const WORDS =
  'quay rope tide ferry island slip harbour causeway chart smock bunk kettle soup deckhand skipper anchor gull tern lamp light morning evening forecast crossing timetable window stone path'.split(
    ' ',
  )

/**
 * Pages shaped like those of a magazine's site: head with styles and scripts, navigation, article with formatting, tables,
 * pictures, comments, inline drawings, footer. Sizes from about 10 to 150 kB, the same for the same seed.
 */
export function benchPages(count: number, seed: number): string[] {
  const random = seeded(seed)
  const pick = <T>(list: readonly T[]): T => list[Math.floor(random() * list.length)] as T
  const words = (n: number): string => Array.from({ length: n }, () => pick(WORDS)).join(' ')
  const address = (): string =>
    pick([
      () => `/islands/${pick(WORDS)}.html`,
      () => `https://gannet-line.example/${pick(WORDS)}?p=4471&amp;s=${pick(WORDS)}`,
      () => `https://www.${pick(WORDS)}.example/${pick(WORDS)}/${pick(WORDS)}`,
      () => `#${pick(WORDS)}`,
      () => '../timetables.html',
    ])()
  const link = (): string =>
    pick([
      `<a href="${address()}">`,
      `<a class="inline" href="${address()}" title="${words(3)}">`,
      `<a href='${address()}' target=_blank rel="me">`,
    ])
  const sentence = (): string => {
    const text = words(6 + Math.floor(random() * 14))
    if (random() < 0.25) return `${text} ${link()}${words(2)}</a> ${words(4)}. `
    return random() < 0.3 ? `${text} <em>${words(2)}</em> &amp; <strong>${words(1)}</strong>. ` : `${text}. `
  }
  const block = (): string => {
    const r = random()
    if (r < 0.08) return `<h2 id="${pick(WORDS)}">${words(4)}</h2>\n`
    if (r < 0.14)
      return `<figure><img src="/files/${pick(WORDS)}.jpg" alt="${words(5)}" width="640" height="400"><figcaption>${words(8)}</figcaption></figure>\n`
    if (r < 0.2)
      return `<table class="times"><tbody>${Array.from({ length: 6 }, () => `<tr><td>${words(1)}</td><td>07:10</td><td>${words(2)}</td></tr>`).join('')}</tbody></table>\n`
    if (r < 0.24) return `<!-- ${words(12)} -->\n`
    if (r < 0.28) return `<script>window.queue=window.queue||[];queue.push({"k":"${pick(WORDS)}","html":"<b>${words(3)}</b>"})</script>\n`
    if (r < 0.31) return `<svg viewBox="0 0 24 24"><path d="M3 17h34l-5 8H8z"/><title>${words(2)}</title></svg>\n`
    if (r < 0.4) return `<ul class="list">${Array.from({ length: 5 }, () => `<li>${sentence()}</li>`).join('\n')}</ul>\n`
    return `<p class="text">${Array.from({ length: 4 }, sentence).join('')}</p>\n`
  }
  return Array.from({ length: count }, () => {
    const blocks = 10 + Math.floor(random() ** 2 * 200)
    return `<!DOCTYPE html>\n<html lang="en"><head><meta charset="utf-8"><title>${words(4)}</title><style>.text{margin:1em}${'.a{color:red}'.repeat(40)}</style><link rel="stylesheet" href="/style.css"></head>\n<body class="page">\n<header><nav><ul>${Array.from({ length: 12 }, () => `<li>${link()}${words(1)}</a></li>`).join('\n')}</ul></nav></header>\n<main>\n${Array.from({ length: blocks }, block).join('')}</main>\n<footer>${Array.from({ length: 8 }, () => `<p>${link()}${words(2)}</a></p>`).join('\n')}</footer>\n</body></html>\n`
  })
}
