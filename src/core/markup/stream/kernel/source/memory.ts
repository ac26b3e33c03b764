// The kernel's memory, in bytes. `../../scanner.ts` reads and writes the same places.

/** Where a scan stopped to be asked, what was noted, and how the page is to be read on. */
export const REASON: usize = 1024
export const COUNT: usize = 1028
export const MODE: usize = 1032
/** Of the raw text that is being read: its element's name, in lower case, and how long it is. */
export const RAW_NAME: usize = 1040
export const RAW_LENGTH: usize = 1048
export const IS_ESCAPED: usize = 1052
export const IS_DOUBLED: usize = 1056
/** Of the one tag that was asked for. */
export const TAG_NAME_END: usize = 1060
export const TAG_SELF_CLOSING: usize = 1064
/** What is noted of an address by itself. */
export const ADDRESS: usize = 1088
/** What is noted of links, one behind the other. */
export const NOTES: usize = 1152
export const NOTE_BYTES: usize = 64
export const NOTES_MAX: i32 = 960

/** Short runs of bytes that have a number: slots found by hash, and the bytes themselves. */
export const SLOTS: usize = 65536
export const SLOT_BYTES: usize = 16
export const SLOTS_MAX: u32 = 8192
export const ARENA: usize = 196608
export const ARENA_END: usize = 327680
export const NAMED: usize = 1068
export const ARENA_USED: usize = 1072
export const IS_FULL: usize = 1076

/** Where the page stands; 16 bytes behind it are zero. What is to be written stands behind those. */
export const PAGE: usize = 327680

/** Places in a note. Spans are offsets in the page; a start of -1 says that there is none. */
export const START: usize = 0
export const END: usize = 4
export const IS_AREA: usize = 8
/** It has attributes that begin with "data-". */
export const HAS_DATA: usize = 12
export const HREF: usize = 16
export const HREF_END: usize = 20
/** Past the value and its quote. */
export const HREF_OUTER_END: usize = 24
export const REL: usize = 28
export const REL_END: usize = 32
export const TARGET: usize = 36
export const TARGET_END: usize = 40
/** What the destination looks like, the part of it that tells it from others of that form, and that part's number. */
export const FORM: usize = 44
export const KEY: usize = 48
export const KEY_NUMBER: usize = 52
/** Numbers of the values; 0 where there is no such attribute. */
export const REL_NUMBER: usize = 56
export const TARGET_NUMBER: usize = 60

/** Why a scan stopped. */
export const AT_END: i32 = 0
/** More must come before what is there can be read. */
export const WAITS: i32 = 1
/** A start tag that somebody else must read: SVG, MathML, `template`, `base`, `plaintext`. */
export const AT_TAG: i32 = 2
/** There is no more room for notes, or somebody else reads on from here. */
export const PAUSED: i32 = 3

/** How the bytes that follow are read. */
export const DATA: i32 = 0
export const COMMENT: i32 = 1
export const BOGUS: i32 = 2
export const CDATA: i32 = 3
export const RAW: i32 = 4
export const SCRIPT: i32 = 5
