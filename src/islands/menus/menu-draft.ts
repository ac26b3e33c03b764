import { useCallback, useEffect, useRef, useState } from 'react'
import { toast } from 'sonner'
import type { Menu, MenuBody } from '../../contract/menus.ts'
import { call, isAway, Refusal, wordsOf } from '../../ui/api.ts'
import { tellSaving } from '../../ui/saving.ts'

const SAVE_AFTER_MS = 500
const TRY_AGAIN_MS = 3_000

/** The menu as it is edited, with undo; saved half a second after the last change, kept here while the server is away. */
export function useMenuDraft(initial: Menu) {
  const key = `map-rope menu ${initial.id}`
  const [body, setBody] = useState<MenuBody>(() => keptBody(key, initial) ?? initial.menu)
  const [past, setPast] = useState<readonly MenuBody[]>([])
  const version = useRef(initial.version)
  const saved = useRef(initial.menu)
  const newest = useRef(body)
  newest.current = body
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined)
  const save = useCallback(async (): Promise<void> => {
    const wanted = newest.current
    if (wanted === saved.current) return
    tellSaving({ state: 'saving' })
    try {
      const made = await call('menus.change', { id: initial.id, body: { version: version.current, menu: wanted } })
      version.current = made.version
      saved.current = wanted
      if (newest.current === wanted) {
        localStorage.removeItem(key)
        tellSaving({ state: 'saved', at: Date.now() })
      } else void save()
    } catch (error) {
      if (isAway(error)) {
        tellSaving({ state: 'kept here', why: wordsOf(error) })
        timer.current = setTimeout(() => void save(), TRY_AGAIN_MS)
      } else if (error instanceof Refusal && error.fault === 'moved-on') {
        const current = error.facts.current as Menu
        version.current = current.version
        toast(`${current.editedBy ?? 'Somebody'} changed this menu in the meantime. Yours is on top now; theirs is in its history.`)
        void save()
      } else tellSaving({ state: 'refused', why: wordsOf(error) })
    }
  }, [initial.id, key])
  const put = useCallback(
    (next: MenuBody): void => {
      setBody(next)
      try {
        localStorage.setItem(key, JSON.stringify({ version: version.current, body: next }))
      } catch {
        // The server has it half a second later.
      }
      tellSaving({ state: 'waiting' })
      clearTimeout(timer.current)
      timer.current = setTimeout(() => void save(), SAVE_AFTER_MS)
    },
    [key, save],
  )
  useEffect(() => {
    if (newest.current !== saved.current) void save()
  }, [save])
  return {
    body,
    change(next: MenuBody): void {
      if (next === body) return
      setPast((before) => [...before.slice(-99), body])
      put(next)
    },
    undo:
      past.length === 0
        ? null
        : (): void => {
            const before = past[past.length - 1]
            setPast(past.slice(0, -1))
            if (before !== undefined) put(before)
          },
  }
}

function keptBody(key: string, initial: Menu): MenuBody | null {
  try {
    const kept = JSON.parse(localStorage.getItem(key) ?? 'null') as { version: number; body: MenuBody } | null
    return kept !== null && kept.version === initial.version ? kept.body : null
  } catch {
    return null
  }
}
