export function freePort(): Promise<number>
export function startPostgres(
  dataFolder: string,
  options?: { forTests?: boolean; isKept?: boolean; say?: (words: string) => void },
): Promise<{ url: string; wasRunning: boolean; elsewhere: string | null; stop: () => void }>
