export { jobsService } from './jobs.ts'
export { withProgress } from './progress.ts'
