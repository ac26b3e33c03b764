/** Where the threads' programs lie as they were built, beside the server's; whoever runs from the source (the tests) finds them there too. */
export const PROGRAM_FOLDER = new URL(import.meta.url.endsWith('.ts') ? '../../dist/' : './', import.meta.url)
