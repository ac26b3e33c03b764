// AssemblyScript, compiled by `npm run kernel` into ../compiled.ts: the part of reading a page that looks at every byte of it.
// It decides nothing: it passes over what is none of ours, by the tokenizer of the HTML standard, and notes links.
import {
  APOSTROPHE,
  BANG,
  BRACKET,
  DASH,
  EQUALS,
  endOfName,
  endOfUsualName,
  find,
  findEither,
  GREATER,
  isLetter,
  isSpace,
  LESS,
  lettersOf,
  partsNames,
  QUESTION,
  QUOTE,
  SLASH,
} from './bytes'
import {
  ADDRESS,
  AT_END,
  AT_TAG,
  BOGUS,
  CDATA,
  COMMENT,
  COUNT,
  DATA,
  END,
  IS_AREA,
  IS_DOUBLED,
  IS_ESCAPED,
  MODE,
  NOTE_BYTES,
  NOTES,
  NOTES_MAX,
  PAGE,
  PAUSED,
  RAW,
  RAW_LENGTH,
  RAW_NAME,
  REASON,
  SCRIPT,
  START,
  TAG_NAME_END,
  TAG_SELF_CLOSING,
  WAITS,
} from './memory'
import { A, AREA, isForOthers, isRaw, mayChangeReading, SCRIPT_NAME } from './names'
import { clearNote, noteAttribute, noteForm, notePath } from './notes'

export { forget } from './numbers'

/** Marks by their bytes, the first one lowest. */
const COMMENT_START: u32 = 0x2d2d213c // <!--
const COMMENT_END: u32 = 0x3e2d2d // -->
const DASHES: u16 = 0x2d2d
const BRACKETS: u16 = 0x5d5d
/** "</script" and the byte behind it. */
const SCRIPT_END_BYTES: usize = 9

function stop(reason: i32, mode: i32, count: i32, at: usize): i32 {
  store<i32>(REASON, reason)
  store<i32>(MODE, mode)
  store<i32>(COUNT, count)
  return <i32>(at - PAGE)
}

/**
 * Reads on in the mode that stands at MODE.
 * @param from - offset in the page; `length` is where what there is of it ends
 * @param isLast - nothing comes behind it
 * @param isNested - somebody else reads tags here: pauses where the mode is DATA
 * @returns how far everything was read or noted; why no further stands at REASON, how it is read on at MODE, the number of
 *   links noted at COUNT
 */
export function scan(from: i32, length: i32, isLast: bool, isNested: bool): i32 {
  const end: usize = PAGE + length
  let i: usize = PAGE + from
  let mode = load<i32>(MODE)
  let count = 0
  while (true) {
    if (mode != DATA) {
      const next = leave(mode, i, end, isLast)
      if (load<i32>(REASON) != PAUSED) return stop(load<i32>(REASON), mode, count, next)
      i = next
      mode = DATA
    }
    if (isNested) return stop(i == end ? AT_END : PAUSED, DATA, count, i)
    const lt = find(LESS, i, end)
    if (lt == end) return stop(AT_END, DATA, count, end)
    let name = lt + 1
    const first = load<u8>(name)
    const isEnd = first == SLASH
    if (isEnd) name++
    if (name >= end) return stop(isLast ? AT_END : WAITS, DATA, count, isLast ? end : lt)
    if (!isLetter(load<u8>(name))) {
      if (first == BANG) {
        if (end - lt < 9 && !isLast) return stop(WAITS, DATA, count, lt)
        i = lt + 2
        mode = BOGUS
        if (load<u32>(lt) == COMMENT_START) {
          // "<!-->" and "<!--->" are whole comments; "--!>" ends none before its own dashes.
          const short: usize = load<u8>(lt + 4) == GREATER ? 5 : load<u8>(lt + 4) == DASH && load<u8>(lt + 5) == GREATER ? 6 : 0
          i = lt + (short == 0 ? 4 : short)
          mode = short == 0 ? COMMENT : DATA
        }
      } else if (isEnd || first == QUESTION) {
        i = lt + 2
        mode = BOGUS
      } else i = lt + 1
      continue
    }
    const nameEnd = endOfName(name + 1, end)
    if (isEnd && nameEnd < end && load<u8>(nameEnd) == GREATER) {
      i = nameEnd + 1 // as nearly all end tags are written
      continue
    }
    const nameLength = <i32>(nameEnd - name)
    const letters = lettersOf(name, nameLength)
    const isLink = !isEnd && (letters == A || letters == AREA) && nameLength <= 4
    const isSpecial = !isEnd && mayChangeReading(letters)
    if (isSpecial && isForOthers(letters, nameLength)) return stop(AT_TAG, DATA, count, lt)
    const note: usize = isLink ? NOTES + <usize>count * NOTE_BYTES : 0
    i = !isLink && nameEnd < end && load<u8>(nameEnd) == GREATER ? nameEnd + 1 : attributes(nameEnd, end, note)
    if (i == 0) return stop(WAITS, DATA, count, lt)
    if (isLink) {
      store<u32>(note, <u32>(lt - PAGE), START)
      store<u32>(note, <u32>(i - PAGE), END)
      store<i32>(note, letters == A ? 0 : 1, IS_AREA)
      noteForm(note)
      if (++count == NOTES_MAX) return stop(PAUSED, DATA, count, i)
    } else if (isSpecial) {
      if (letters == SCRIPT_NAME && nameLength == 6) {
        mode = SCRIPT
        store<i32>(IS_ESCAPED, 0)
        store<i32>(IS_DOUBLED, 0)
      } else if (isRaw(letters, nameLength)) {
        mode = RAW
        store<u64>(RAW_NAME, letters)
        store<i32>(RAW_LENGTH, nameLength)
      }
    }
  }
}

/** Says why what is read cannot be left yet. @returns `at` */
function because(reason: i32, at: usize): usize {
  store<i32>(REASON, reason)
  return at
}

/** Reads to where DATA begins again. @returns that place, and PAUSED at REASON; else how far it was read, and why no further */
function leave(mode: i32, from: usize, end: usize, isLast: bool): usize {
  switch (mode) {
    case COMMENT:
      return leaveComment(from, end)
    case CDATA:
      return leaveCdata(from, end)
    case RAW:
      return leaveRaw(from, end, isLast)
    case SCRIPT:
      return leaveScript(from, end, isLast)
  }
  const gt = find(GREATER, from, end)
  return gt == end ? because(AT_END, end) : because(PAUSED, gt + 1)
}

/** What may be the first bytes of a mark of up to four is left to be read again. */
function waitBefore(end: usize, from: usize, bytes: usize): usize {
  return because(WAITS, end - from > bytes ? end - bytes : from)
}

function leaveComment(from: usize, end: usize): usize {
  for (let gt = find(GREATER, from, end); gt != end; gt = find(GREATER, gt + 1, end)) {
    if (gt - from >= 2 && load<u16>(gt - 2) == DASHES) return because(PAUSED, gt + 1)
    if (gt - from >= 3 && load<u8>(gt - 1) == BANG && load<u16>(gt - 3) == DASHES) return because(PAUSED, gt + 1)
  }
  return waitBefore(end, from, 3)
}

function leaveCdata(from: usize, end: usize): usize {
  for (let gt = find(GREATER, from, end); gt != end; gt = find(GREATER, gt + 1, end)) {
    if (gt - from >= 2 && load<u16>(gt - 2) == BRACKETS) return because(PAUSED, gt + 1)
  }
  return waitBefore(end, from, 2)
}

/** To an "appropriate end tag token": `</` + name + white space, "/" or ">". */
function leaveRaw(from: usize, end: usize, isLast: bool): usize {
  const length = load<i32>(RAW_LENGTH)
  const name = load<u64>(RAW_NAME)
  for (let lt = find(LESS, from, end); lt != end; lt = find(LESS, lt + 1, end)) {
    if (lt + length + 2 >= end) return isLast ? because(AT_END, end) : because(WAITS, lt)
    if (load<u8>(lt + 1) == SLASH && lettersOf(lt + 2, length) == name && partsNames(load<u8>(lt + 2 + length))) return because(PAUSED, lt)
  }
  return because(AT_END, end)
}

/** Script data with its escaped and double escaped states: `<!-- <script> … </script> -->` does not end the element. */
function leaveScript(from: usize, end: usize, isLast: bool): usize {
  let i = findEither(LESS, DASH, from, end)
  for (; i < end; i = findEither(LESS, DASH, i, end)) {
    if (end - i < SCRIPT_END_BYTES && !isLast) return because(WAITS, i)
    if (load<u8>(i) == DASH) {
      if ((load<u32>(i) & 0xffffff) == COMMENT_END) {
        store<i32>(IS_ESCAPED, 0)
        store<i32>(IS_DOUBLED, 0)
        i += 3
      } else i++
    } else if (load<u32>(i) == COMMENT_START) {
      store<i32>(IS_ESCAPED, 1)
      i += 2 // "<!-->" opens and ends at once
    } else if (load<u8>(i + 1) == SLASH && lettersOf(i + 2, 6) == SCRIPT_NAME && partsNames(load<u8>(i + 8))) {
      if (load<i32>(IS_DOUBLED) == 0) return because(PAUSED, i)
      store<i32>(IS_DOUBLED, 0)
      i += 8
    } else if (lettersOf(i + 1, 6) == SCRIPT_NAME && partsNames(load<u8>(i + 7))) {
      if (load<i32>(IS_ESCAPED) == 1) store<i32>(IS_DOUBLED, 1)
      i += 7
    } else i++
  }
  return because(AT_END, end)
}

/**
 * The states from "before attribute name" on of the HTML standard; what `readTag` of `../../attributes.ts` is for text.
 * @param note - where to write down what the attributes say of a link; 0 to only look for the end of the tag
 * @returns past ">"; 0 when it is not there
 */
function attributes(from: usize, end: usize, note: usize): usize {
  if (note != 0) clearNote(note)
  // As nearly all are written: one space, a name, "=", and a value in quotes.
  let i = from
  while (i < end) {
    const c = load<u8>(i)
    if (c == GREATER) return i + 1
    if (!isSpace(c)) break
    const equals = endOfUsualName(i + 1)
    if (equals == i + 1 || equals + 1 >= end || load<u8>(equals) != EQUALS) break
    const quote = load<u8>(equals + 1)
    if (quote != QUOTE && quote != APOSTROPHE) break
    const close = find(quote, equals + 2, end)
    if (close == end) return 0
    if (note != 0) noteAttribute(note, i + 1, <i32>(equals - i - 1), equals + 2, close, close + 1)
    i = close + 1
  }
  return otherAttributes(i, end, note)
}

/** The rest of a tag, whatever it looks like. */
function otherAttributes(from: usize, end: usize, note: usize): usize {
  let i = from
  while (true) {
    let slash = false
    for (; i < end; i++) {
      const c = load<u8>(i)
      if (c == SLASH) slash = true
      else if (isSpace(c)) slash = false
      else break
    }
    if (i >= end) return 0
    if (load<u8>(i) == GREATER) {
      store<i32>(TAG_SELF_CLOSING, slash ? 1 : 0)
      return i + 1
    }
    const name = i
    // A "=" in first place belongs to the name (unexpected-equals-sign-before-attribute-name).
    for (i++; i < end; i++) {
      const c = load<u8>(i)
      if (c == EQUALS || partsNames(c)) break
    }
    const nameEnd = i
    let valueStart = i
    let valueEnd = i
    let j = i
    while (j < end && isSpace(load<u8>(j))) j++
    if (j < end && load<u8>(j) == EQUALS) {
      j++
      while (j < end && isSpace(load<u8>(j))) j++
      if (j >= end) return 0
      const quote = load<u8>(j)
      valueStart = j
      if (quote == QUOTE || quote == APOSTROPHE) {
        valueStart++
        valueEnd = find(quote, valueStart, end)
        if (valueEnd == end) return 0
        i = valueEnd + 1
      } else {
        for (; j < end; j++) {
          const c = load<u8>(j)
          if (c == GREATER || isSpace(c)) break
        }
        if (j >= end) return 0
        valueEnd = j
        i = j
      }
    }
    if (note != 0) noteAttribute(note, name, <i32>(nameEnd - name), valueStart, valueEnd, i)
  }
}

/**
 * Reads one tag, start or end.
 * @param name - offset of the first letter of its name
 * @returns past ">", -1 when it is not there; the end of its name and whether it closes itself stand at their places
 */
export function tag(name: i32, length: i32): i32 {
  const end: usize = PAGE + length
  const nameEnd = endOfName(PAGE + name + 1, end)
  store<i32>(TAG_NAME_END, <i32>(nameEnd - PAGE))
  store<i32>(TAG_SELF_CLOSING, 0)
  const after = attributes(nameEnd, end, 0)
  return after == 0 ? -1 : <i32>(after - PAGE)
}

/** Tells what a path looks like that stands between two offsets of the page; the answer stands at ADDRESS. */
export function look(from: i32, to: i32): void {
  notePath(ADDRESS, PAGE + from, PAGE + to)
}

/**
 * Writes a page with edits, each three numbers at `edits`: from, to, and how many bytes of `inserts` come in their place.
 * @param read - how much of the page is written
 * @returns the number of bytes written at `out`
 */
export function splice(edits: usize, count: i32, inserts: usize, read: i32, out: usize): i32 {
  let to = out
  let insert = inserts
  let done: usize = PAGE
  for (let k = 0; k < count; k++) {
    const edit = edits + <usize>k * 12
    const from: usize = PAGE + load<u32>(edit)
    const length: usize = load<u32>(edit, 8)
    memory.copy(to, done, from - done)
    to += from - done
    memory.copy(to, insert, length)
    to += length
    insert += length
    done = PAGE + load<u32>(edit, 4)
  }
  const rest: usize = PAGE + read - done
  memory.copy(to, done, rest)
  return <i32>(to + rest - out)
}
