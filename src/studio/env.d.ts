/// <reference types="astro/client" />
declare namespace App {
  interface Locals extends Readonly<import('./index.ts').StudioLocals> {
    actor: import('../services/index.ts').Actor | null
  }
}

/** The DOM that the Markdown library works on; it ships no types under this name. */
declare module '@mixmark-io/domino' {
  const domino: { createDocument(html?: string, force?: boolean): Document }
  export default domino
}
