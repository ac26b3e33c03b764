import type { ChildProcess } from 'node:child_process'

export function supervise(
  start: () => Promise<ChildProcess>,
  options: { name: string; say?: (words: string) => void; firstPauseMs?: number },
): Promise<{ readonly child: ChildProcess | null; stop(): Promise<void>; restart(): Promise<void> }>
export function ended(child: ChildProcess | null): Promise<void>
