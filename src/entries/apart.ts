/** The program of the threads that heavy work is done in: each task by its name. */
import { TASKS, type Tasks } from '../apart/tasks.ts'

export default function work<T extends keyof Tasks>({ task, input }: { task: T; input: Parameters<Tasks[T]>[0] }): unknown {
  return (TASKS[task] as (input: Parameters<Tasks[T]>[0]) => unknown)(input)
}
