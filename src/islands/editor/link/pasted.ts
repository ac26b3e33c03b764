import { toast } from 'sonner'
import type { Surroundings } from '../../../core/address/index.ts'
import { applyPatches, type Patch, scanLinks, setLink } from '../../../core/markup/index.ts'
import { inWords } from '../../../words/index.ts'
import { readDestination } from './LinkField.tsx'

/** The links of a pasted piece are mended as pasted addresses are, and that is told. */
export function mendPiece(html: string, around: Surroundings): string {
  const told: string[] = []
  const patches: Patch[] = []
  for (const link of scanLinks(html).links) {
    const { destination, repaired, refusal } = readDestination(link.href, around)
    if (refusal !== null) told.push(`${link.href.slice(0, 60)}: ${refusal}`)
    if (destination === null || repaired === null || repaired.repairs.length === 0) continue
    const mended = setLink(html, link.start, { href: destination })
    if (mended.ok) patches.push(...mended.value)
    told.push(`${destination}: ${repaired.repairs.map(({ what }) => inWords(what)).join('. ')}`)
  }
  if (told.length > 0) toast(`Pasted. ${told.slice(0, 3).join('; ')}${told.length > 3 ? `; and ${told.length - 3} more` : ''}.`)
  return applyPatches(html, patches)
}
