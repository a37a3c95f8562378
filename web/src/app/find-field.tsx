import { queryKeyOf } from './query-keys.ts'
import { useState } from 'react'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { Command } from 'cmdk'
import { useTranslation } from 'react-i18next'
import { useNavigate } from 'react-router'
import { findAnything, type Found } from '@pendro/contract'
import { useDelayed } from '../parts/use-delayed.ts'
import { isMeant, useActions } from './actions.ts'
import { call } from './api.ts'
import { findFrame, findInput, FindKey, reviewOf } from './find-face.tsx'

/** Looks for mail by itself; offers the other places where the typed text may mean something. */
export function FindField({
  input,
  begun,
  ...rest
}: {
  input: React.RefObject<HTMLInputElement | null>
  /** What was typed before it was there; `null`: nobody was at it. */
  begun: string | null
} & Parameters<typeof useActions>[0]) {
  const { t } = useTranslation()
  const navigate = useNavigate()
  const [find, setFind] = useState(begun ?? '')
  const [open, setOpen] = useState(find.trim() !== '')
  const text = find.trim()
  const close = () => {
    setOpen(false)
    input.current?.blur()
  }
  const go = (to: string) => {
    void navigate(to)
    close()
  }
  const onKeyDown = (event: React.KeyboardEvent) => {
    if (event.key === 'Escape') close()
    if (event.key === 'Enter' && text === '') go(reviewOf(text))
  }
  return (
    <search
      className="relative"
      onBlur={event => !event.currentTarget.contains(event.relatedTarget) && setOpen(false)}
    >
      <Command label={t('shell.find')} shouldFilter={false} loop>
        <div className={findFrame}>
          <Command.Input
            ref={input}
            value={find}
            onValueChange={value => {
              setFind(value)
              setOpen(value.trim() !== '')
            }}
            onKeyDown={onKeyDown}
            aria-label={t('shell.find')}
            placeholder={t('shell.find')}
            autoFocus={begun !== null}
            className={findInput}
          />
          <FindKey />
        </div>
        {/* Hidden rather than gone: the input names it as what it controls. */}
        <Command.List
          hidden={!open}
          className="absolute right-0 z-40 mt-1 max-h-[70vh] w-[30rem] max-w-[calc(100vw-1.5rem)] overflow-y-auto rounded-md border border-line-strong bg-raised p-1 text-ink shadow-[0_6px_24px_rgb(30_42_48/.16)]"
        >
          <FoundItems
            text={text}
            go={go}
            onAct={run => {
              setFind('')
              close()
              run()
            }}
            {...rest}
          />
        </Command.List>
      </Command>
    </search>
  )
}

type FoundProps = {
  readonly text: string
  readonly go: (to: string) => void
  /** An act of the frame was chosen. */
  readonly onAct: (run: () => void) => void
} & Parameters<typeof useActions>[0]

/** Where what is typed can be looked for, acts of that name, and what was found. */
function FoundItems({ text, go, onAct, ...rest }: FoundProps) {
  const { t } = useTranslation()
  const asked = useDelayed(text, 120)
  const found = useQuery({
    queryKey: queryKeyOf('find', asked),
    enabled: asked.length >= 2,
    queryFn: ({ signal }) => call(findAnything, { query: { text: asked }, signal }),
    placeholderData: keepPreviousData,
  })
  const actions = useActions(rest).filter(({ name }) => isMeant(text, name))
  const mayBeSender = /^\S*[^\s.]\.[^\s.]{2,}$/.test(text)
  return (
    <>
      <FindItem
        value="review"
        text={t('shell.findReview', { find: text })}
        onSelect={() => go(reviewOf(text))}
      />
      <FindItem
        value="where"
        text={t('shell.findWhere', { find: text })}
        onSelect={() => go(`/whereabouts?${new URLSearchParams({ from: text })}`)}
      />
      {mayBeSender && (
        <FindItem
          value="question"
          text={t('shell.findQuestion', { find: text })}
          onSelect={() => go(`/senders?${new URLSearchParams({ ask: text })}`)}
        />
      )}
      <FindItem
        value="senders"
        text={t('shell.findSenders', { find: text })}
        onSelect={() => go(`/senders?${new URLSearchParams({ find: text })}`)}
      />
      {actions.map(({ name, run }) => (
        <FindItem
          key={name}
          value={`do ${name}`}
          text={name}
          more={t('shell.findKinds.action')}
          onSelect={() => onAct(run)}
        />
      ))}
      {/* What is found comes later than the rest: below it, so that nobody presses what has moved under the pointer. */}
      {found.data?.found.map(({ kind, id, title, more }) => (
        <FindItem
          key={`${kind}${id}`}
          value={`${kind}${id}`}
          text={title}
          more={`${t(`shell.findKinds.${kind}`)} · ${more}`}
          onSelect={() => go(placeOf(kind, id, more))}
        />
      ))}
    </>
  )
}

/** Where something that was found is shown. */
function placeOf(kind: Found['kind'], id: number, more: string): string {
  switch (kind) {
    case 'colleague':
      return `/whereabouts?${new URLSearchParams({ to: more })}`
    case 'sender':
      return `/whereabouts?${new URLSearchParams({ from: more })}`
    case 'entry':
      return `/senders/${id}`
    case 'enquiry':
      return `/whereabouts?enquiry=${id}`
    case 'message':
      return `/review/${id}`
  }
}

function FindItem({
  value,
  text,
  more,
  onSelect,
}: {
  value: string
  text: string
  more?: string
  onSelect: () => void
}) {
  return (
    <Command.Item
      value={value}
      onSelect={onSelect}
      className="truncate rounded-sm px-3 py-1.5 data-[selected=true]:bg-tint"
    >
      {text}
      {more && <span className="block truncate text-[0.9rem] text-ink-2">{more}</span>}
    </Command.Item>
  )
}
