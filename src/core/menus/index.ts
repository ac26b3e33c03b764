export {
  type FlatEntry,
  flatMenu,
  indentEntry,
  joinMenu,
  leaveOut,
  leftOut,
  moveEntry,
  moveInMenu,
  nestedMenu,
  outdentEntry,
  removeEntry,
  setLandings,
} from './arrange.ts'
export {
  EMPTY_MENU,
  isReadableMenu,
  LABEL_MAX_CHARS,
  labelOf,
  type Menu,
  type MenuEntry,
  menuLinks,
  readMenu,
  titlesWithoutLanding,
} from './menu.ts'
export { renderMenu } from './render.ts'
