import { randomUUID } from 'node:crypto'
import { closeSync, existsSync, ftruncateSync, mkdirSync, openSync, readFileSync, writeFileSync, writeSync } from 'node:fs'
import path from 'node:path'
import type { Logger } from 'pino'

/** A segment is closed at this size, so that loaded ones can go. */
const SEGMENT_BYTES = 16 * 1024 * 1024
/** Lines kept in memory while the disk takes none, and their characters. Beyond either the oldest go, and the log says so. */
const HELD_LINES_MAX = 1_000_000
const HELD_MAX_CHARS = 200 * 1024 * 1024
/** How long after a failed write the next is tried; answers do not wait for that. */
const RETRY_MS = 1_000
/** Held lines written at once when there is room again: between two stretches others are answered. */
const STRETCH_LINES = 5_000
const NOTHING = Buffer.alloc(0)

const charsOf = (lines: readonly string[]): number => lines.reduce((sum, line) => sum + line.length, 0)

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
  /** Stretches that the disk did not take, in their order. */
  #held: string[][] = []
  #heldLines = 0
  #heldChars = 0
  #isFailing = false
  /** The file ends in half a line. */
  #isTorn = false
  #retry: NodeJS.Timeout | null = null
  #isScheduled = false

  /** Told when the disk takes nothing any more, and when it does again. */
  onTurn: (isWell: boolean) => void = () => {}

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
    return this.#heldLines
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
    const lines = this.#lines
    const answers = this.#answers
    this.#lines = []
    this.#answers = []
    const written = this.#isFailing ? 0 : this.#write(lines)
    if (written < lines.length) this.#hold(written === 0 ? lines : lines.slice(written))
    for (const answer of answers) answer()
  }

  close(): void {
    this.flush()
    while (this.#heldLines > 0 && this.#writeHeld());
    if (this.#retry !== null) clearTimeout(this.#retry)
    if (this.#descriptor !== -1) closeSync(this.#descriptor)
    this.#descriptor = -1
  }

  /** @returns how many of the lines are in the file now, from the first on: those that are not are written again, and those that are never */
  #write(lines: readonly string[]): number {
    if (lines.length === 0) return 0
    let bytes: Buffer = NOTHING
    let written = 0
    try {
      if (this.#descriptor === -1 || this.#segmentBytes > SEGMENT_BYTES) this.#openSegment()
      bytes = Buffer.from(`${this.#isTorn ? '\n' : ''}${lines.join('\n')}\n`)
      while (written < bytes.length) written += writeSync(this.#descriptor, bytes, written)
      this.#isTorn = false
      this.#segmentBytes += bytes.length
      return lines.length
    } catch (error) {
      if (!this.#isFailing) {
        this.#log.error({ err: error }, 'the click log cannot be written; clicks are held in memory')
        this.#isFailing = true
        this.onTurn(false)
      }
      return this.#keepWhole(bytes, written)
    }
  }

  /** Cuts off half a line that the disk took, so that nobody takes it for a whole one. @returns how many whole lines there are */
  #keepWhole(bytes: Buffer, written: number): number {
    const whole = bytes.subarray(0, written).lastIndexOf(10) + 1
    let lines = this.#isTorn && whole > 0 ? -1 : 0
    for (let at = bytes.indexOf(10); at !== -1 && at < whole; at = bytes.indexOf(10, at + 1)) lines++
    this.#segmentBytes += whole
    try {
      if (written > whole) ftruncateSync(this.#descriptor, this.#segmentBytes)
      if (whole > 0) this.#isTorn = false
    } catch {
      this.#isTorn = true // the line end in front of what comes next keeps it apart
    }
    return lines
  }

  /** Keeps what the disk did not take, and tries again in a while. */
  #hold(lines: string[]): void {
    this.#held.push(lines)
    this.#heldLines += lines.length
    this.#heldChars += charsOf(lines)
    let lost = 0
    while (this.#held.length > 0 && (this.#heldLines - lost > HELD_LINES_MAX || this.#heldChars > HELD_MAX_CHARS)) {
      const oldest = this.#held.shift() ?? []
      lost += oldest.length
      this.#heldChars -= charsOf(oldest)
    }
    this.#heldLines -= lost
    if (lost > 0) this.#log.error({ lost }, 'clicks were lost: the disk has been full for too long')
    this.#retry ??= setTimeout(() => this.#tryAgain(), RETRY_MS).unref()
  }

  #tryAgain(): void {
    this.#retry = null
    const isWritten = this.#writeHeld()
    if (this.#heldLines > 0) this.#retry = setTimeout(() => this.#tryAgain(), isWritten ? 0 : RETRY_MS).unref()
    else if (isWritten) {
      this.#log.info('the click log can be written again')
      this.#isFailing = false
      this.onTurn(true)
    }
  }

  /** Writes a stretch of what is held. @returns whether the disk took it */
  #writeHeld(): boolean {
    let stretches = 0
    const lines: string[] = []
    while (stretches < this.#held.length && lines.length < STRETCH_LINES) for (const line of this.#held[stretches++] ?? []) lines.push(line)
    const written = this.#write(lines)
    if (written === 0) return false
    const left = lines.slice(written)
    this.#held.splice(0, stretches, ...(left.length === 0 ? [] : [left]))
    this.#heldLines -= written
    this.#heldChars -= charsOf(lines) - charsOf(left)
    return left.length === 0
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
