import { useCallback, useEffect, useRef, useState } from 'react'
import { saveStandbyDraft, type StandbyDraft } from '@pendro/contract'
import { call } from '../../../app/api.ts'

/** What of a draft is typed. */
export type TypedLetter = Pick<
  StandbyDraft,
  'to' | 'cc' | 'bcc' | 'subject' | 'html' | 'answers' | 'forwards'
>

/** Milliseconds after the last letter until it is kept. */
const soon = 2500

/** How keeping it goes. */
export type Keeping = 'new' | 'typing' | 'saving' | 'saved' | 'failed'

interface Kept {
  readonly id: number | null
  readonly version: number
}

/**
 * Keeps a draft as it is typed, some seconds after each change and before it is sent. One save at a time; what was typed during one is kept
 * by the next.
 */
export function useDraft(first: TypedLetter, known: Kept = { id: null, version: 0 }) {
  const [letter, setLetter] = useState(first)
  const [keeping, setKeeping] = useState<Keeping>(known.id === null ? 'new' : 'saved')
  const [problem, setProblem] = useState<unknown>(null)
  const kept = useRef(known)
  const token = useRef(crypto.randomUUID())
  const typed = useRef(letter)
  const saved = useRef(known.id === null ? null : first)
  const running = useRef<Promise<Kept> | null>(null)

  const save = useCallback(async (): Promise<Kept> => {
    if (running.current) await running.current.catch(() => {})
    const now = typed.current
    if (saved.current === now) return kept.current
    setKeeping('saving')
    running.current = call(saveStandbyDraft, {
      body: { ...now, ...kept.current, token: token.current },
    })
    try {
      kept.current = await running.current
      saved.current = now
      setProblem(null)
      setKeeping(typed.current === now ? 'saved' : 'typing')
      return kept.current
    } catch (error) {
      setProblem(error)
      setKeeping('failed')
      throw error
    } finally {
      running.current = null
    }
  }, [])

  const change = useCallback((more: Partial<TypedLetter>) => {
    typed.current = { ...typed.current, ...more }
    setLetter(typed.current)
    setKeeping('typing')
  }, [])

  useEffect(() => {
    if (keeping !== 'typing') return
    const timer = setTimeout(() => void save().catch(() => {}), soon)
    return () => clearTimeout(timer)
  }, [keeping, letter, save])

  return { letter, change, save, keeping, problem, id: () => kept.current.id }
}
