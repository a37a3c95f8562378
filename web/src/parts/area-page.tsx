import type { ReactNode } from 'react'

/** A page that scrolls as a whole: what it is called, what it is about in a sentence, and its cards. */
export function AreaPage({
  title,
  lead,
  heading: Heading = 'h1',
  children,
}: {
  title: string
  lead: ReactNode
  /** 'h2' where the area around it has a heading already. */
  heading?: 'h1' | 'h2'
  children: ReactNode
}) {
  return (
    <div
      className="h-full overflow-y-auto px-6 py-4 max-[899px]:px-4"
      tabIndex={0}
      role="region"
      aria-label={title}
    >
      <Heading className="sr-only">{title}</Heading>
      <p className="mb-3 font-serif text-[1.24rem] leading-snug">{lead}</p>
      {children}
    </div>
  )
}
