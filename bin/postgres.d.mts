export function freePort(): Promise<number>
export function startPostgres(
  dataFolder: string,
  options?: { forTests?: boolean },
): Promise<{ url: string; wasRunning: boolean; stop: () => void }>
