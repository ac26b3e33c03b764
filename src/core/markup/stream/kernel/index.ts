export { SCAN_KERNEL } from './compiled.ts'
