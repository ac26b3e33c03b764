import assert from 'node:assert/strict'
import { test } from 'node:test'
import { applyPatches, type PatchSet } from '../../../src/core/markup/index.ts'
import { Mirror } from '../../../src/islands/editor/mirror.ts'

/** A draft, and a frame that takes what it is sent only while nothing of its own is under way, as the real one does. */
class Desk {
  state = { text: '<p>one two</p>' }
  readonly mirror = new Mirror(this)
  frame = { sync: 0, seq: 0, text: '' }
  readonly #post: { sync: number; seq: number; patch: { from: number; to: number; insert: string } }[] = []

  constructor() {
    const { sync, text } = this.mirror.start()
    this.frame = { sync, seq: 0, text }
  }
  change(patches: PatchSet): void {
    this.state = { text: applyPatches(this.state.text, patches) }
  }
  /** Typed in the frame; the studio has not heard of it yet. */
  type(words: string, insert: string): void {
    const at = this.frame.text.indexOf(words) + words.length
    const patch = { from: at, to: at, insert }
    this.frame = { ...this.frame, seq: this.frame.seq + 1, text: applyPatches(this.frame.text, [patch]) }
    this.#post.push({ sync: this.frame.sync, seq: this.frame.seq, patch })
  }
  /** Changed in the panel. */
  changeHere(words: string, insert: string): void {
    const at = this.state.text.indexOf(words)
    this.change([{ from: at, to: at + words.length, insert }])
    this.#send()
  }
  /** What is under way arrives. */
  settle(): boolean {
    let isTaken = true
    for (let edit = this.#post.shift(); edit !== undefined; edit = this.#post.shift()) {
      isTaken = this.mirror.take(edit) && isTaken
      this.#send()
    }
    return isTaken
  }
  #send(): void {
    const sync = this.mirror.catchUp()
    if (sync !== null && sync.ack === this.frame.seq) this.frame = { ...this.frame, sync: sync.sync, text: sync.text }
  }
}

test('what is typed reaches the draft, and nothing is sent back', () => {
  const desk = new Desk()
  desk.type('one', '!')
  desk.type('two', '?')
  assert.ok(desk.settle())
  assert.equal(desk.state.text, '<p>one! two?</p>')
  assert.equal(desk.frame.sync, 1)
})

test('a change in the panel reaches the frame', () => {
  const desk = new Desk()
  desk.changeHere('two', '<a href="/x">two</a>')
  assert.equal(desk.frame.text, '<p>one <a href="/x">two</a></p>')
  desk.type('one', '!')
  assert.ok(desk.settle())
  assert.equal(desk.state.text, '<p>one! <a href="/x">two</a></p>')
})

test('typing that was under way when the panel changed something else is in both', () => {
  const desk = new Desk()
  desk.type('one', ' and')
  desk.changeHere('two', '<b>two</b>')
  assert.ok(desk.settle())
  assert.equal(desk.state.text, '<p>one and <b>two</b></p>')
  assert.equal(desk.frame.text, desk.state.text)
  desk.type('and', ' more')
  assert.ok(desk.settle())
  assert.equal(desk.state.text, '<p>one and more <b>two</b></p>')
})

test('where both changed the same place the draft stays, and the frame is brought back to it', () => {
  const desk = new Desk()
  desk.type('on', 'XX')
  desk.changeHere('one', 'ten')
  assert.equal(desk.settle(), false)
  assert.equal(desk.state.text, '<p>ten two</p>')
  assert.equal(desk.frame.text, desk.state.text)
})
