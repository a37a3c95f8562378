import { lazy, Suspense, useState } from 'react'
import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { Link, useNavigate, useParams, useSearchParams } from 'react-router'
import {
  attachToDraft,
  detachFromDraft,
  dropStandbyDraft,
  readStandbyDraft,
  sendStandbyDraft,
  type StandbyDraft,
} from '@pendro/contract'
import { call } from '../../../app/api.ts'
import { queryKeyOf } from '../../../app/query-keys.ts'
import { useNumbers, useTimes } from '../../../app/times.ts'
import { Button } from '../../../parts/buttons.tsx'
import { TextField } from '../../../parts/field.tsx'
import { Empty, SkeletonRows } from '../../../parts/states.tsx'
import { useOwnSession, useProblemText } from '../own-session.ts'
import { useOwnAct } from '../use-own-act.ts'
import { AddressField } from './address-field.tsx'
import { answerTo, forwardOf, type Beginning } from './letter-text.ts'
import { useDraft, type TypedLetter } from './use-draft.ts'
import { useStandbyItem } from './use-standby.ts'

const LetterEditor = lazy(() => import('./editor.tsx'))
const key = /^[dr]\d{1,15}$/

/** A new letter: an answer, something passed on, or one of its own. */
export function StandbyNew() {
  const { t } = useTranslation()
  const times = useTimes()
  const problemText = useProblemText()
  const { address } = useOwnSession()
  const [search] = useSearchParams()
  const named = (name: string) => (key.test(search.get(name) ?? '') ? (search.get(name) ?? '') : '')
  const [answers, forwards] = [named('answer'), named('forward')]
  const about = useStandbyItem(answers || forwards)
  if (about.error) return <Empty title={problemText(about.error)} />
  if ((answers || forwards) && !about.data) return <SkeletonRows count={4} />
  const begin = (): Beginning => {
    if (!about.data) return { to: [], cc: [], subject: '', html: '<p></p>' }
    if (forwards) return forwardOf(about.data)
    const wrote = t('own.standby.wrote', {
      name: about.data.fromName || about.data.fromAddress,
      time: times.full(about.data.at),
    })
    return answerTo(about.data, { own: address, all: search.get('all') === '1', wrote })
  }
  const { to, cc, subject, html } = begin()
  return <Letter first={{ to: [...to], cc: [...cc], bcc: [], subject, html, answers, forwards }} />
}

/** A letter that was begun before. */
export function StandbyDraftPage() {
  const problemText = useProblemText()
  const { id = '' } = useParams()
  const { data, error } = useQuery({
    queryKey: queryKeyOf('own', 'standby', 'draft', id),
    queryFn: ({ signal }) => call(readStandbyDraft, { params: { id }, signal }),
    staleTime: Infinity,
    gcTime: 0,
  })
  if (error) return <Empty title={problemText(error)} />
  if (!data) return <SkeletonRows count={4} />
  return <Letter first={data} known={data} />
}

function Letter({ first, known }: { first: TypedLetter; known?: StandbyDraft }) {
  const { t } = useTranslation()
  const navigate = useNavigate()
  const [start] = useState(first)
  const draft = useDraft(start, known && { id: known.id, version: known.version })
  const { letter, change } = draft
  const sending = useOwnAct({
    send: async () => {
      const { id, version } = await draft.save()
      return call(sendStandbyDraft, { params: { id: id ?? 0 }, body: { version } })
    },
    notice: () => ({ text: t('own.standby.sentNow') }),
    makes: 'own-changed',
    onDone: () => void navigate('/own/standby'),
  })
  return (
    <form
      onSubmit={event => {
        event.preventDefault()
        sending.mutate()
      }}
    >
      <h1 className="font-serif text-[1.3rem] font-semibold">
        {t(`own.standby.heading.${start.answers ? 'answer' : start.forwards ? 'forward' : 'new'}`)}
      </h1>
      <Recipients draft={draft} first={start} />
      <TextField
        label={t('own.standby.subject')}
        className="mt-2"
        value={letter.subject}
        maxLength={900}
        onChange={({ target }) => change({ subject: target.value })}
      />
      <div className="mt-3">
        <Suspense fallback={<SkeletonRows count={3} />}>
          <LetterEditor label={t('own.standby.text')} html={start.html} onChange={html => change({ html })} />
        </Suspense>
      </div>
      {start.forwards && <p className="mt-2 text-ink-2">{t('own.standby.withOriginal')}</p>}
      <Files draft={draft} first={known?.files ?? []} />
      <div className="sticky bottom-0 -mx-4 mt-4 flex flex-wrap items-center gap-3 border-t border-line bg-ground px-4 py-3">
        <Button kind="main" type="submit" disabled={sending.isPending} className="min-h-11">
          {t(sending.isPending ? 'own.standby.sending' : 'own.standby.send')}
        </Button>
        <Drop draft={draft} />
        <Kept draft={draft} />
      </div>
    </form>
  )
}

type Draft = ReturnType<typeof useDraft>

function Recipients({ draft: { letter, change }, first }: { draft: Draft; first: TypedLetter }) {
  const { t } = useTranslation()
  const [copies, showCopies] = useState(first.cc.length + first.bcc.length > 0)
  return (
    <>
      <AddressField label={t('own.standby.to')} addresses={letter.to} onChange={to => change({ to })} />
      {copies ? (
        <>
          <AddressField label={t('own.standby.cc')} addresses={letter.cc} onChange={cc => change({ cc })} />
          <AddressField
            label={t('own.standby.bcc')}
            addresses={letter.bcc}
            onChange={bcc => change({ bcc })}
          />
        </>
      ) : (
        <Button kind="link" className="mt-2" onClick={() => showCopies(true)}>
          {t('own.standby.addCopies')}
        </Button>
      )}
    </>
  )
}

/** Whether it is kept, in words. */
function Kept({ draft: { keeping, problem } }: { draft: Draft }) {
  const { t } = useTranslation()
  const problemText = useProblemText()
  return (
    <span aria-live="polite" className={keeping === 'failed' ? 'text-stop' : 'text-ink-2'}>
      {keeping === 'failed'
        ? problemText(problem)
        : keeping === 'new'
          ? ''
          : t(`own.standby.keeping.${keeping}`)}
    </span>
  )
}

function Drop({ draft }: { draft: Draft }) {
  const { t } = useTranslation()
  const navigate = useNavigate()
  const [asked, ask] = useState(false)
  const dropping = useOwnAct({
    send: async () => {
      const id = draft.id()
      if (id !== null) await call(dropStandbyDraft, { params: { id }, body: {} })
    },
    makes: 'own-changed',
    onDone: () => void navigate('/own/standby'),
  })
  if (!asked)
    return (
      <Button kind="link" onClick={() => ask(true)}>
        {t('own.standby.drop')}
      </Button>
    )
  return (
    <span className="flex flex-wrap items-center gap-3">
      <Button kind="link" disabled={dropping.isPending} onClick={() => dropping.mutate()}>
        {t('own.standby.dropSure')}
      </Button>
      <Link to="/own/standby" className="border-b border-current text-petrol">
        {t('own.standby.keepForLater')}
      </Link>
    </span>
  )
}

function Files({ draft, first }: { draft: Draft; first: StandbyDraft['files'] }) {
  const { t } = useTranslation()
  const { size: sizeText } = useNumbers()
  const [files, setFiles] = useState(first)
  const attaching = useOwnAct({
    send: async (file: File) => {
      const { id } = await draft.save()
      const added = await call(attachToDraft, {
        query: { letter: id ?? 0, name: file.name },
        body: file,
      })
      return { id: added.id, name: file.name, size: file.size }
    },
    onDone: one => setFiles(before => [...before, one]),
  })
  const detaching = useOwnAct({
    send: (file: number) => call(detachFromDraft, { params: { id: draft.id() ?? 0 }, body: { file } }),
    onDone: (_, file) => setFiles(before => before.filter(({ id }) => id !== file)),
  })
  return (
    <div className="mt-3">
      <ul className="grid gap-1">
        {files.map(({ id, name, size }) => (
          <li key={id} className="flex flex-wrap items-baseline gap-x-3">
            <span className="break-all">{name}</span>
            <span className="text-[0.92rem] text-ink-2">{sizeText(size)}</span>
            <Button kind="link" disabled={detaching.isPending} onClick={() => detaching.mutate(id)}>
              {t('own.standby.detach')}
              <span className="sr-only"> {name}</span>
            </Button>
          </li>
        ))}
      </ul>
      <label className="mt-1 inline-flex min-h-11 cursor-pointer items-center border-b border-current font-semibold text-petrol focus-within:outline-2">
        {t(attaching.isPending ? 'own.standby.attaching' : 'own.standby.attach')}
        <input
          type="file"
          multiple
          className="sr-only"
          onChange={({ target }) => {
            for (const file of target.files ?? []) attaching.mutate(file)
            target.value = ''
          }}
        />
      </label>
    </div>
  )
}
