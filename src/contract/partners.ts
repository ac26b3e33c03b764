import { z } from 'zod'
import { Nothing, operation } from './operation.ts'
import { Id, line, Version } from './shared.ts'

const Site = line(2_000).min(1)
export const Partner = z
  .object({ id: Id, name: z.string(), sites: z.array(z.string()), template: z.string(), account: z.string(), version: Version })
  .meta({ id: 'Partner' })
export type Partner = z.infer<typeof Partner>
export const PartnerNew = z.strictObject({
  name: line(120).min(1, 'Give the partner’s name'),
  sites: z.array(Site).min(1, 'Give at least one site').max(100),
  template: line(2_000).optional().meta({ description: 'Of partner links: {account}, {url}, {path}, {sub}' }),
  account: line(200).optional(),
})
export type PartnerNew = z.infer<typeof PartnerNew>
export const PartnerChange = PartnerNew.extend({ version: Version })
export type PartnerChange = z.infer<typeof PartnerChange>
export const PartnerList = z.object({ items: z.array(Partner) })

export const partners = {
  list: operation({
    method: 'get',
    path: '/partners',
    summary: 'Partners and the sites that belong to them',
    needs: 'partners:read',
    status: 200,
    answer: PartnerList,
    shows: ['partners'],
  }),
  create: operation({
    method: 'post',
    path: '/partners',
    summary: 'Add a partner',
    needs: 'partners:edit',
    status: 201,
    body: PartnerNew,
    answer: Partner,
  }),
  change: operation({
    method: 'put',
    path: '/partners/{id}',
    summary: 'Change a partner',
    needs: 'partners:edit',
    status: 200,
    body: PartnerChange,
    answer: Partner,
  }),
  remove: operation({
    method: 'delete',
    path: '/partners/{id}',
    summary: 'Remove a partner',
    needs: 'partners:edit',
    status: 204,
    answer: Nothing,
  }),
} as const
