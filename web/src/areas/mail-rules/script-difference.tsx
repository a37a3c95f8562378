import { useMemo } from 'react'
import { clsx } from 'clsx'
import { differenceOf, type DifferentLine } from './line-difference.ts'

const signs: Readonly<Record<DifferentLine['kind'], string>> = { there: '−', here: '+', both: ' ' }

/** Two scripts, line by line: what only the store has, and what only Pendro has. */
export function ScriptDifference({ there, here }: { there: string; here: string }) {
  const lines = useMemo(() => differenceOf(there, here), [there, here])
  return (
    <pre className="mt-1 max-h-[28rem] overflow-auto rounded-md border border-line bg-raised py-1 text-[0.88rem]">
      {lines.map(({ kind, text }, i) => (
        <div
          key={i}
          className={clsx(
            'px-3 whitespace-pre-wrap',
            kind === 'there' && 'bg-amber-tint',
            kind === 'here' && 'bg-tint',
            kind === 'both' && 'text-ink-2',
          )}
        >
          {signs[kind]} {text}
        </div>
      ))}
    </pre>
  )
}
