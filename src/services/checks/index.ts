export { checksService } from './checks.ts'
