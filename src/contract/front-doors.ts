import { z } from 'zod'
import { HostName } from './hosts.ts'
import { Id, line } from './shared.ts'

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
  origin: line(2_000).regex(/^https?:\/\/[^/?#]+\/?$/i, 'Write the address of the site alone, such as https://origin.slow-ferry.example'),
})
export type FrontDoorNew = z.infer<typeof FrontDoorNew>
export const FrontDoorList = z.object({ items: z.array(FrontDoor) })
export type FrontDoorList = z.infer<typeof FrontDoorList>
