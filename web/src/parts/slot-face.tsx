import { clsx } from 'clsx'
import { ChevronDown } from 'lucide-react'

/** What a word in a sentence that can be changed looks like. */
export interface Look {
  /** What the slot is about, for screen readers: "which mail". */
  readonly label: string
  /** What stands in the sentence. */
  readonly text: string
  readonly tone?: 'plain' | 'safe' | 'blocked'
  readonly mono?: boolean
  readonly disabled?: boolean
}

const tones = {
  plain: 'bg-tint text-petrol-deep dark:text-ink border-petrol',
  safe: 'bg-wanted-tint text-wanted border-wanted',
  blocked: 'bg-amber-tint text-stop border-stop',
} as const

/** Name and look of its button. */
export const slotButton = ({ label, text, tone = 'plain', mono = false, disabled = false }: Look) => ({
  disabled,
  'aria-label': `${label}: ${text}`,
  className: clsx(
    'inline-flex max-w-[min(100%,34rem)] items-baseline gap-1 rounded-t-sm border-b-2 px-1.5 pb-px leading-snug font-semibold hover:brightness-97 disabled:opacity-60',
    mono && 'font-mono text-[0.94em]',
    tones[tone],
  ),
})

/** What stands on it. */
export function SlotFace({ text }: { text: string }) {
  return (
    <>
      <span className="min-w-0 truncate">{text}</span>
      <ChevronDown aria-hidden className="size-3 shrink-0 self-center" />
    </>
  )
}
