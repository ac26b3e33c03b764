/** The program of the threads that heavy work is done in: the tasks, by their names. */
import { TASKS } from '../apart/tasks.ts'

export const { drawing, markdown, rewrite } = TASKS
