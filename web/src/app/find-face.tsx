import { KeyCap } from '../parts/buttons.tsx'

/** How the search looks, before and after it works. */
export const findFrame =
  'flex h-8 w-56 max-[899px]:w-40 items-center gap-2 rounded-md border border-white/25 bg-black/20 px-3 focus-within:border-brass'
/** The field itself. */
export const findInput = 'min-w-0 flex-1 bg-transparent text-white outline-none placeholder:text-[#C4D5D3]'

/** The key that leads to it. */
export const FindKey = () => (
  <span className="text-white/80">
    <KeyCap>/</KeyCap>
  </span>
)

/** Review with what was typed. */
export const reviewOf = (text: string): string =>
  text === '' ? '/review' : `/review?${new URLSearchParams({ find: text, days: '28' })}`
