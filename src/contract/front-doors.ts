import { z } from 'zod'
import { tell } from '../words/index.ts'
import { HostName } from './hosts.ts'
import { Nothing, operation } from './operation.ts'
import { Id, line, says } from './shared.ts'

export const FrontDoor = z
  .object({
    id: Id,
    host: z.string().meta({ description: 'On which visitors ask' }),
    origin: z.string().meta({ description: 'Where the existing site answers' }),
    address: z.string(),
  })
  .meta({ id: 'FrontDoor' })
export type FrontDoor = z.infer<typeof FrontDoor>
export const FrontDoorNew = z.strictObject({
  host: HostName,
  origin: line(2_000).regex(/^https?:\/\/[^/?#]+\/?$/i, says(tell('field.origin'))),
})
export type FrontDoorNew = z.infer<typeof FrontDoorNew>
export const FrontDoorList = z.object({ items: z.array(FrontDoor) })
export type FrontDoorList = z.infer<typeof FrontDoorList>

export const frontDoors = {
  list: operation({
    method: 'get',
    path: '/front-doors',
    summary: 'Hosts that stand in front of somebody’s existing site',
    needs: 'rules:read',
    status: 200,
    answer: FrontDoorList,
    shows: ['hosts'],
  }),
  make: operation({
    method: 'post',
    path: '/front-doors',
    summary: 'Stand in front of an existing site',
    needs: 'hosts:edit',
    status: 201,
    body: FrontDoorNew,
    answer: FrontDoor,
  }),
  remove: operation({
    method: 'delete',
    path: '/front-doors/{id}',
    summary: 'Stand there no longer',
    needs: 'hosts:edit',
    status: 204,
    answer: Nothing,
  }),
} as const
