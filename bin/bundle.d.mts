/** Writes dist/bench.mjs. */
export declare function bundleBench(): Promise<unknown>
