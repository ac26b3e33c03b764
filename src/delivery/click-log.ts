import { randomUUID } from 'node:crypto'
import { closeSync, existsSync, mkdirSync, openSync, readFileSync, writeFileSync, writeSync } from 'node:fs'
import path from 'node:path'
import type { Logger } from 'pino'

/** A segment is closed at this size, so that loaded ones can go. */
const SEGMENT_BYTES = 16 * 1024 * 1024
/** Lines kept in memory while the disk takes none. Beyond it the oldest go, and the log says so. */
const HELD_LINES_MAX = 100_000

/** The folder of all click logs of one installation. */
export const clickFolder = (dataFolder: string): string => path.join(dataFolder, 'clicks')

/**
 * The append-only click log of one delivery process. A click is in the file before its answer ends (invariant 1): clicks
 * that arrive together are written with one system call, then all their answers are let go.
 */
export class ClickLog {
  readonly node: string
  readonly #folder: string
  readonly #log: Logger
  #descriptor = -1
  #segmentBytes = 0
  #sequence = 0
  readonly #startedAt = Date.now()
  #lines: string[] = []
  #answers: (() => void)[] = []
  #held: string[] = []
  #isFailing = false
  #isScheduled = false

  constructor(dataFolder: string, log: Logger) {
    this.#log = log
    mkdirSync(dataFolder, { recursive: true })
    const nodeFile = path.join(dataFolder, 'node-id')
    if (!existsSync(nodeFile)) writeFileSync(nodeFile, randomUUID())
    this.node = readFileSync(nodeFile, 'utf8').trim()
    this.#folder = path.join(clickFolder(dataFolder), this.node)
    mkdirSync(this.#folder, { recursive: true })
  }

  /** False while the disk takes nothing; clicks are held in memory then. */
  get isWell(): boolean {
    return !this.#isFailing
  }

  /** Clicks held in memory because the disk takes none. */
  get held(): number {
    return this.#held.length
  }

  /** @param line - one COPY text line without its line end. @param answer - called once the line is in the file */
  append(line: string, answer: () => void): void {
    this.#lines.push(line)
    this.#answers.push(answer)
    if (this.#isScheduled) return
    this.#isScheduled = true
    setImmediate(() => this.flush())
  }

  /** Writes what has come together. Called by itself; a stopping process calls it once more. */
  flush(): void {
    this.#isScheduled = false
    const lines = this.#held.length > 0 ? this.#held.concat(this.#lines) : this.#lines
    const answers = this.#answers
    this.#lines = []
    this.#answers = []
    if (lines.length > 0) this.#write(lines)
    for (const answer of answers) answer()
  }

  close(): void {
    this.flush()
    if (this.#descriptor !== -1) closeSync(this.#descriptor)
    this.#descriptor = -1
  }

  #write(lines: string[]): void {
    try {
      if (this.#descriptor === -1 || this.#segmentBytes > SEGMENT_BYTES) this.#openSegment()
      // After a failed write the file may end in half a line; the line end in front keeps it apart.
      const bytes = Buffer.from(`${this.#isFailing ? '\n' : ''}${lines.join('\n')}\n`)
      for (let written = 0; written < bytes.length; ) written += writeSync(this.#descriptor, bytes, written)
      this.#segmentBytes += bytes.length
      this.#held = []
      if (this.#isFailing) this.#log.info({ clicks: lines.length }, 'the click log can be written again')
      this.#isFailing = false
    } catch (error) {
      if (!this.#isFailing) this.#log.error({ err: error }, 'the click log cannot be written; clicks are held in memory')
      this.#isFailing = true
      this.#held = lines.slice(-HELD_LINES_MAX)
      if (lines.length > HELD_LINES_MAX)
        this.#log.error({ lost: lines.length - HELD_LINES_MAX }, 'clicks were lost: the disk has been full for too long')
    }
  }

  #openSegment(): void {
    if (this.#descriptor !== -1) closeSync(this.#descriptor)
    this.#sequence++
    this.#segmentBytes = 0
    this.#descriptor = openSync(
      path.join(this.#folder, `${this.#startedAt}-${process.pid}-${String(this.#sequence).padStart(6, '0')}.log`),
      'a',
    )
  }
}
