import pino, { type Logger } from 'pino'
import { loggable } from './database.ts'

/** The log of a process or thread: without what a request is signed with, and without the values of queries. */
export const openLog = (level: string): Logger =>
  pino({
    level,
    redact: ['req.headers.cookie', 'req.headers.authorization', '*.password'],
    serializers: { err: loggable },
  })
