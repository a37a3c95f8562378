import type { ReactNode } from 'react'

/** A table whose first column is words and whose others are numbers. */
export function NumberTable({
  heads,
  rows,
}: {
  heads: readonly string[]
  rows: readonly (readonly ReactNode[])[]
}) {
  return (
    <div className="overflow-x-auto" tabIndex={0} role="group" aria-label={heads.join(', ')}>
      <table className="w-full text-[0.95rem]">
        <thead>
          <tr className="border-b border-line-strong text-ink-2">
            {heads.map((head, i) => (
              <th
                key={head}
                scope="col"
                className={`py-1 align-bottom font-normal break-normal ${i === 0 ? 'text-left' : 'pl-3 text-right'}`}
              >
                {head}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row, i) => (
            <tr key={i} className="border-b border-line">
              {row.map((cell, k) => (
                <td key={k} className={`py-1 break-normal ${k === 0 ? '' : 'pl-3 text-right tabular-nums'}`}>
                  {cell}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  )
}
