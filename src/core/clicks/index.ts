export {
  BEACON_MAX_BYTES,
  type Beacon,
  COUNT_PATH,
  COUNT_SCRIPT,
  COUNT_SCRIPT_PATH,
  countingTag,
  isWholePage,
  readBeacon,
} from './beacon.ts'
export { type BotRule, tellBotRule } from './behaviour.ts'
export { type Interval, shareOf, surelyBest } from './interval.ts'
export {
  CLICK_COLUMNS,
  type ClickLine,
  type ClickStart,
  dayOf,
  hourOf,
  type MissedLine,
  readClickStart,
  readClickTail,
  readMissed,
  readSeen,
  type SeenLine,
  SOURCE_OF,
  SOURCES,
  type Source,
  withoutVariant,
  writeClick,
  writeMissed,
  writeSeen,
} from './log-line.ts'
export {
  DEVICES,
  type Device,
  deviceOf,
  languageOf,
  OTHER_SOURCES,
  referrerHost,
  VISITS,
  type Visit,
  type VisitSigns,
  visitOf,
} from './visit.ts'
