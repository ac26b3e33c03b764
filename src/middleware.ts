export { onRequest } from './studio/middleware.ts'
