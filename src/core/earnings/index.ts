export { daysBetween } from './calendar.ts'
export { DATE_STYLES, type DateStyle, readDate } from './dates.ts'
export { DECIMAL_STYLES, type DecimalStyle, digitsOf, type Money, plainAmount, readAmount, readMinor, styleOf } from './money.ts'
export { isPaymentLate, nextPayDay, type PayoutTerms } from './payout.ts'
export {
  columnKey,
  countedCommission,
  EARNING_STATES,
  type EarningState,
  EQUAL_LINES,
  guessReport,
  headerOf,
  LINE_FAULTS,
  type LineFault,
  NEEDED_FIELDS,
  REPORT_FIELDS,
  type RefusedReportLine,
  type ReportField,
  type ReportGuess,
  type ReportLayout,
  type ReportLine,
  ReportReader,
} from './report.ts'
