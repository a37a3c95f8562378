import { Fragment, type ReactNode } from 'react'

/**
 * A translated sentence with slots: `[[name]]` becomes `slots.name`, `**words**` become bold. The language
 * decides the order of the slots. A slot the sentence does not name is not shown.
 */
export function Sentence({
  text,
  slots = {},
}: {
  text: string
  slots?: Readonly<Record<string, ReactNode>>
}) {
  return (
    <>
      {text.split(/(\[\[\w+\]\]|\*\*[^*]+\*\*)/).map((piece, i) => {
        const slot = /^\[\[(\w+)\]\]$/.exec(piece)?.[1]
        if (slot !== undefined) return <Fragment key={i}>{slots[slot]}</Fragment>
        const bold = /^\*\*([^*]+)\*\*$/.exec(piece)?.[1]
        return bold === undefined ? <Fragment key={i}>{piece}</Fragment> : <strong key={i}>{bold}</strong>
      })}
    </>
  )
}
