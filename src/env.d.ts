/// <reference types="astro/client" />
declare namespace App {
  interface Locals extends Readonly<import('./studio/index.ts').StudioLocals> {
    actor: import('./services/index.ts').Actor | null
  }
}
