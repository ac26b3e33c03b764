import { execFileSync } from 'node:child_process'
import { closeSync, existsSync, openSync, rmSync, writeSync } from 'node:fs'
import path from 'node:path'

/** A disk of a size, in the place of a folder. */
export interface SmallDisk {
  /** Writes it full, but for so many bytes. */
  fill(left: number): void
  /** Makes room again. */
  empty(): void
  close(): void
}

/** Puts a small disk in the place of a folder that is there; null for whoever may not (that takes root). */
export function smallDisk(folder: string, kilobytes: number): SmallDisk | null {
  try {
    execFileSync('mount', ['-t', 'tmpfs', '-o', `size=${kilobytes}k,mode=700`, 'tmpfs', folder], { stdio: 'ignore' })
  } catch {
    return null
  }
  const filler = path.join(folder, 'filler')
  const write = (bytes: number): boolean => {
    const file = openSync(filler, 'a')
    try {
      return writeSync(file, Buffer.alloc(bytes)) === bytes
    } catch {
      return false
    } finally {
      closeSync(file)
    }
  }
  return {
    fill(left) {
      // Pages of memory are what it is counted in: the last of them is left whole, or not at all.
      while (write(4_096));
      if (left > 0) execFileSync('truncate', ['-s', `-${left}`, filler])
    },
    empty() {
      if (existsSync(filler)) rmSync(filler)
    },
    close() {
      execFileSync('umount', ['-l', folder], { stdio: 'ignore' })
    },
  }
}
