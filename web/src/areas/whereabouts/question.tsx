import { useState, type FormEvent } from 'react'
import { useTranslation } from 'react-i18next'
import type { WhereQuestion } from '@pendro/contract'
import { Button, KeyCap } from '../../parts/buttons.tsx'
import { Sentence } from '../../parts/sentence.tsx'
import { blanks, type Blank } from './use-where.ts'

/** The question with its blanks; Enter in any of them looks. */
export function Question({
  asked,
  onLook,
}: {
  asked: WhereQuestion
  onLook: (question: WhereQuestion) => void
}) {
  const { t } = useTranslation()
  const [typed, setTyped] = useState(asked)
  // Another question by a link or the way back; the cursor stays where it is.
  const [shown, setShown] = useState(asked)
  if (shown !== asked) {
    setShown(asked)
    setTyped(asked)
  }
  const submit = (event: FormEvent) => {
    event.preventDefault()
    // The next key is meant for what is found.
    if (document.activeElement instanceof HTMLElement) document.activeElement.blur()
    onLook(typed)
  }
  const slot = (name: Blank) => (
    <input
      name={name}
      value={typed[name]}
      autoFocus={name === 'from' && asked.from === ''}
      autoComplete="off"
      spellCheck={false}
      onChange={event => setTyped({ ...typed, [name]: event.target.value })}
      aria-label={t(`whereabouts.blank.${name}.label`)}
      placeholder={t(`whereabouts.blank.${name}.hint`)}
      className="mx-0.5 max-w-[min(30rem,80vw)] min-w-36 rounded-t-sm border-b-2 border-petrol bg-raised px-2.5 py-0.5 font-sans text-[1.15rem] font-semibold [field-sizing:content] placeholder:font-normal placeholder:text-ink-2"
    />
  )
  return (
    <form onSubmit={submit} className="flex flex-wrap items-center gap-x-6 gap-y-2">
      <p className="min-w-0 flex-1 font-serif text-[1.45rem] leading-[2.5rem]">
        <Sentence
          text={t('whereabouts.question')}
          slots={Object.fromEntries(blanks.map(name => [name, slot(name)]))}
        />
      </p>
      <Button kind="main" type="submit">
        {t('whereabouts.look')} <KeyCap>↵</KeyCap>
      </Button>
    </form>
  )
}
