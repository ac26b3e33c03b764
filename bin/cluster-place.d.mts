export function clusterPlace(dataFolder: string): { folder: string; isElsewhere: boolean }
export function clustersElsewhere(root?: string): { folder: string; of: string | null; isOrphan: boolean; isRunning: boolean }[]
