import assert from 'node:assert/strict'
import { test } from 'node:test'
import type { PageSource } from '../../../src/contract/pages.ts'
import type { PageNotes } from '../../../src/core/content/index.ts'
import { applyPatches, type PatchSet } from '../../../src/core/markup/index.ts'
import { PageDraft, type SaveAnswer } from '../../../src/islands/editor/draft.ts'
import type { Saving } from '../../../src/ui/saving.ts'

const page = (source: string, version = 1, encoding = 'utf-8'): PageSource => ({
  id: 'p',
  kind: 'page',
  writtenFor: null,
  tags: [],
  cameAs: 'html',
  isRemoved: false,
  waiting: [],
  path: '/p',
  title: 'P',
  encoding,
  state: 'live',
  version,
  address: 'http://site.example/p',
  links: 0,
  draftAt: '',
  liveAt: null,
  editedBy: 'Mara',
  source,
})

/** A browser and a server that a test can take away: time stands still until `pass` is called. */
class Surroundings {
  readonly storage = new Map<string, string>()
  readonly said: Saving[] = []
  server: PageSource
  isAway = false
  #waiting: { work: () => void; isOff: boolean }[] = []

  constructor(source: string, encoding?: string) {
    this.server = page(source, 1, encoding)
  }

  open(): PageDraft {
    return new PageDraft(this.server, {
      save: async (_id, version, sets, notes) => this.save(version, sets, notes),
      storage: {
        getItem: (key) => this.storage.get(key) ?? null,
        setItem: (key, value) => void this.storage.set(key, value),
        removeItem: (key) => void this.storage.delete(key),
      },
      later: (work) => {
        const entry = { work, isOff: false }
        this.#waiting.push(entry)
        return () => {
          entry.isOff = true
        }
      },
      now: () => 0,
      onSaving: (saving) => this.said.push(saving),
    })
  }

  save(version: number, sets: readonly PatchSet[], notes?: PageNotes): SaveAnswer {
    if (this.isAway) return { state: 'away', why: 'no answer' }
    if (version !== this.server.version) return { state: 'moved on', current: this.server }
    this.server = {
      ...this.server,
      ...(notes === undefined ? {} : { tags: [...notes.tags], writtenFor: notes.writtenFor }),
      source: sets.reduce(applyPatches, this.server.source),
      version: version + 1,
    }
    return { state: 'saved', page: this.server }
  }

  /** Lets everything that waits for its time happen, and what follows from it. */
  async pass(): Promise<void> {
    for (const { work, isOff } of this.#waiting.splice(0)) if (!isOff) work()
    await new Promise((resolve) => setImmediate(resolve))
  }

  /** The tab is gone, and with it whatever waited in it. */
  crash(): void {
    this.#waiting = []
  }

  get last(): string | undefined {
    return this.said[this.said.length - 1]?.state
  }
}

const insert = (at: number, text: string): PatchSet => [{ from: at, to: at, insert: text }]

test('changes are kept at once, sent a little later, and forgotten once the server has them', async () => {
  const around = new Surroundings('abc')
  const draft = around.open()
  draft.change(insert(1, 'x'))
  assert.equal(around.storage.size, 2)
  assert.deepEqual([draft.state.text, around.server.source, around.last], ['axbc', 'abc', 'waiting'])
  await around.pass()
  assert.deepEqual([around.server.source, around.last, around.storage.size], ['axbc', 'saved', 0])
})

test('while the server is away everything stays, through a new opening, and is sent when it is back', async () => {
  const around = new Surroundings('abc')
  around.isAway = true
  const first = around.open()
  first.change(insert(0, 'one '))
  await around.pass()
  first.change(insert(0, 'two '))
  await around.pass()
  assert.equal(around.last, 'kept here')
  around.crash()
  const again = around.open()
  assert.equal(again.state.text, 'two one abc')
  assert.match(again.state.news ?? '', /here again/)
  around.isAway = false
  await around.pass()
  assert.deepEqual([around.server.source, around.last], ['two one abc', 'saved'])
  again.undo()
  await around.pass()
  assert.equal(around.server.source, 'one abc', 'what was taken up can be undone')
})

test('one draft open in two tabs is no conflict', async () => {
  const around = new Surroundings('abc')
  around.isAway = true
  around.open().change(insert(0, 'x'))
  const second = around.open()
  around.isAway = false
  await around.pass()
  await around.pass()
  assert.deepEqual([around.server.source, second.state.theirs, around.last], ['xabc', null, 'saved'])
})

test('what was kept for another version, or is broken, is not forced onto the page', () => {
  const around = new Surroundings('abc')
  for (const kept of [
    '{"version":7,"pending":[[{"from":0,"to":0,"insert":"x"}]]}',
    '{"version":1,"pending":[[{"from":0,"to":99,"insert":""}]]}',
    'half {',
    '{}',
  ]) {
    around.storage.set('map-rope draft p', kept)
    assert.equal(around.open().state.text, 'abc')
  }
})

test('somebody else’s change in another place is merged; in the same place a person chooses, and either way works', async () => {
  for (const choice of ['takeTheirs', 'keepMine'] as const) {
    const around = new Surroundings('one two three')
    const draft = around.open()
    around.server = { ...around.server, source: 'ONE two three', version: 2 }
    draft.change(insert(13, '!'))
    await around.pass()
    await around.pass()
    assert.deepEqual([around.server.source, around.server.version], ['ONE two three!', 3])
    assert.match(draft.state.news ?? '', /Mara saved this page/)

    around.server = { ...around.server, source: 'ONE 2 three!', version: 4 }
    draft.change([{ from: 4, to: 7, insert: 'zwei' }])
    await around.pass()
    assert.deepEqual([draft.state.theirs?.source, around.server.source, around.last], ['ONE 2 three!', 'ONE 2 three!', 'conflict'])
    draft[choice]()
    await around.pass()
    assert.equal(around.server.source, choice === 'takeTheirs' ? 'ONE 2 three!' : 'ONE zwei three!')
    assert.equal(draft.state.theirs, null)
  }
})

test('changes made while a save is on its way are sent after it', async () => {
  const around = new Surroundings('abc')
  const draft = around.open()
  draft.change(insert(3, '1'))
  const passing = around.pass()
  draft.change(insert(4, '2'))
  await passing
  await around.pass()
  await around.pass()
  assert.equal(around.server.source, 'abc12')
})

test('undo and redo lead back and forth exactly, and a new change ends the redo', () => {
  const around = new Surroundings('abc')
  const draft = around.open()
  draft.change(insert(1, 'x'))
  draft.change([{ from: 0, to: 2, insert: '' }])
  draft.undo()
  draft.undo()
  assert.deepEqual([draft.state.text, draft.state.canUndo, draft.state.canRedo], ['abc', false, true])
  draft.redo()
  assert.equal(draft.state.text, 'axbc')
  draft.change(insert(0, '-'))
  assert.equal(draft.state.canRedo, false)
})

test('what the page’s encoding lacks is written as a reference, here as on the server', () => {
  const draft = new Surroundings('abc', 'windows-1252').open()
  draft.change(insert(0, '港'))
  assert.equal(draft.state.text, '&#28207;abc')
})

test('what is typed is taken back word by word, however slowly it was typed, and likewise after a crash', async () => {
  const around = new Surroundings('')
  around.isAway = true
  const draft = around.open()
  for (const [at, letter] of [...'two words here'].entries()) draft.change(insert(at, letter), 'typing')
  const backwards = (open: PageDraft): string[] => {
    const texts: string[] = []
    for (; open.state.canUndo; open.undo()) texts.push(open.state.text)
    return texts
  }
  const again = around.open()
  const expected = ['two words here', 'two words ', 'two ']
  assert.deepEqual(backwards(again), expected, 'after a crash')
  assert.deepEqual(backwards(draft), expected)
})

test('a space that has to be held while a word is typed before another makes no step of its own', () => {
  const draft = new Surroundings('Second words').open()
  const typed: readonly PatchSet[] = [
    [{ from: 6, to: 6, insert: '&nbsp;' }],
    [{ from: 6, to: 12, insert: ' t' }],
    insert(8, 'w'),
    insert(9, 'o'),
  ]
  for (const patches of typed) draft.change(patches, 'typing')
  assert.equal(draft.state.text, 'Second two words')
  draft.undo()
  assert.equal(draft.state.text, 'Second&nbsp; words')
  draft.undo()
  assert.equal(draft.state.text, 'Second words')
})

test('letters taken away come back word by word; what was pasted is a step of its own', () => {
  const draft = new Surroundings('two words').open()
  for (let at = 8; at >= 0; at--) draft.change([{ from: at, to: at + 1, insert: '' }], 'typing')
  draft.undo()
  assert.equal(draft.state.text, 'two ')
  draft.undo()
  assert.equal(draft.state.text, 'two words')
  draft.change(insert(9, '!'), 'typing')
  draft.change(insert(10, 'a whole sentence that was pasted in one go'), 'typing')
  draft.undo()
  assert.equal(draft.state.text, 'two words!')
})

test('publishing, which makes a newer version of the same text, forgets no step', () => {
  const around = new Surroundings('abc')
  const draft = around.open()
  draft.change(insert(3, 'd'), 'typing')
  void around.pass()
  return around.pass().then(() => {
    draft.meet({ ...around.server, version: around.server.version + 1 })
    assert.deepEqual([draft.state.text, draft.state.canUndo], ['abcd', true])
    draft.meet({ ...around.server, source: 'older text', version: around.server.version + 2 })
    assert.equal(draft.state.text, 'older text')
    draft.undo()
    assert.equal(draft.state.text, 'abcd')
  })
})

test('what is said of a page is saved with it, taken back step by step, and kept while the server is away', async () => {
  const around = new Surroundings('one')
  const draft = around.open()
  draft.change([{ from: 3, to: 3, insert: ' two' }])
  draft.note({ tags: ['spring'], writtenFor: null })
  await around.pass()
  assert.deepEqual([around.server.source, around.server.tags], ['one two', ['spring']])
  around.isAway = true
  draft.note({ tags: ['spring'], writtenFor: 'gannet' })
  await around.pass()
  around.crash()
  around.isAway = false
  const again = around.open()
  assert.equal(again.state.notes.writtenFor, 'gannet')
  again.change([{ from: 0, to: 0, insert: 'x ' }])
  await around.pass()
  assert.deepEqual([around.server.source, around.server.writtenFor], ['x one two', 'gannet'])
  again.note({ tags: [], writtenFor: 'gannet' })
  again.undo()
  await around.pass()
  assert.deepEqual(around.server.tags, ['spring'])
  again.redo()
  await around.pass()
  assert.deepEqual(around.server.tags, [])
})

test('somebody’s newer text comes in under what was said of the page meanwhile', async () => {
  const around = new Surroundings('one')
  const draft = around.open()
  around.server = { ...around.server, source: 'one two', version: 2, tags: ['theirs'] }
  draft.note({ tags: ['mine'], writtenFor: null })
  await around.pass()
  await around.pass()
  assert.deepEqual([draft.state.text, around.server.source, around.server.tags], ['one two', 'one two', ['mine']])
})
