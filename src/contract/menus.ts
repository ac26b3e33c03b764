import { z } from 'zod'
import { LABEL_MAX_CHARS } from '../core/menus/index.ts'
import { HINTS } from '../core/rules/index.ts'
import { PartName } from './blocks.ts'
import { operation } from './operation.ts'
import { Page } from './pages.ts'
import { line, Version } from './shared.ts'

/** Most entries of one menu; readers give up long before. */
const ENTRIES_MAX = 500

const Entry = z
  .object({
    id: z.string().min(1).max(60),
    kind: z.enum(['page', 'link', 'title']),
    label: line(LABEL_MAX_CHARS),
    href: z.string().max(8_000),
    opens: z.enum(['new tab', 'same tab']).optional(),
    hints: z.array(z.enum(HINTS)).optional(),
    get children() {
      return z.array(Entry).max(ENTRIES_MAX)
    },
  })
  .meta({ id: 'MenuEntry' })

export const MenuBody = z
  .object({
    entries: z.array(Entry).max(ENTRIES_MAX),
    left: z.array(z.string().max(2_000)).max(20_000).meta({ description: 'Paths of pages that are left out on purpose' }),
    joins: z.union([z.enum(['nowhere', 'first', 'last']), z.object({ under: z.string().max(60) })]),
  })
  .meta({ id: 'MenuBody' })
export type MenuBody = z.infer<typeof MenuBody>

export const Menu = Page.extend({
  name: z.string(),
  menu: MenuBody,
  isBroken: z.boolean().meta({ description: 'What is stored cannot be read as a menu; `menu` is empty, and nothing is saved over it' }),
}).meta({ id: 'Menu' })
export type Menu = z.infer<typeof Menu>
export const MenuList = z.object({ items: z.array(Menu) })
export type MenuList = z.infer<typeof MenuList>
export const MenuNew = z.strictObject({ name: PartName, title: line(120).min(1) })
export type MenuNew = z.infer<typeof MenuNew>
export const MenuChange = z.strictObject({ version: Version, menu: MenuBody })
export type MenuChange = z.infer<typeof MenuChange>

export const menus = {
  list: operation({
    method: 'get',
    path: '/menus',
    summary: 'Menus that pages share',
    needs: 'pages:read',
    status: 200,
    answer: MenuList,
    shows: ['pages'],
  }),
  create: operation({
    method: 'post',
    path: '/menus',
    summary: 'Make a menu',
    needs: 'pages:publish',
    status: 201,
    body: MenuNew,
    answer: Menu,
  }),
  get: operation({ method: 'get', path: '/menus/{id}', summary: 'One menu', needs: 'pages:read', status: 200, answer: Menu }),
  change: operation({
    method: 'put',
    path: '/menus/{id}',
    takes: 'list',
    summary: 'Put a menu on top of a version',
    needs: 'pages:edit',
    status: 200,
    body: MenuChange,
    answer: Menu,
  }),
} as const
