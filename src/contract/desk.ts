import { z } from 'zod'
import { Placement } from './pages.ts'
import { Unpublished } from './publications.ts'

/** What needs a hand today. */
export const Desk = z.object({
  unpublished: Unpublished,
  unmarked: z.object({ total: z.int(), pages: z.int(), examples: z.array(Placement) }),
  pages: z.int(),
  links: z.int(),
  hasPartners: z.boolean(),
  hasRules: z.boolean(),
})
export type Desk = z.infer<typeof Desk>
