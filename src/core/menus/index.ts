export {
  type FlatEntry,
  flatMenu,
  indentEntry,
  joinMenu,
  leftOut,
  moveEntry,
  nestedMenu,
  outdentEntry,
  removeEntry,
  setLandings,
} from './arrange.ts'
export { EMPTY_MENU, type Menu, type MenuEntry, menuLinks, readMenu } from './menu.ts'
export { renderMenu } from './render.ts'
