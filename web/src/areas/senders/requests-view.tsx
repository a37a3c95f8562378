import { queryKeyOf } from '../../app/query-keys.ts'
import { useState } from 'react'
import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { answerRequest, previewChange, readRequests, type EntryRequest } from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { maySteer, useSession } from '../../app/session.ts'
import { useAct } from '../../app/use-act.ts'
import { useTimes } from '../../app/times.ts'
import { Button } from '../../parts/buttons.tsx'
import { CardList } from '../../parts/card-list.tsx'
import { ReachView } from '../../parts/reach.tsx'
import { StandingMark } from '../../parts/standing.tsx'
import { Empty, Failed } from '../../parts/states.tsx'
import { SidePanel } from './side-panel.tsx'
import { useListActs } from './use-senders.ts'

/** What colleagues asked to be made one for everybody: open ones with their reach, and the latest answers. */
export function RequestsView({ onClose }: { onClose: () => void }) {
  const { t } = useTranslation()
  const { data, error, refetch } = useQuery({
    queryKey: queryKeyOf('senders', 'requests'),
    queryFn: ({ signal }) => call(readRequests, { signal }),
  })
  const open = data?.requests.filter(({ state }) => state === 'open') ?? []
  const answered = data?.requests.filter(({ state }) => state !== 'open') ?? []
  return (
    <SidePanel title={t('senders.request.title')} count={open.length} onClose={onClose}>
      {error && !data && <Failed error={error} onAgain={() => void refetch()} />}
      {data && open.length === 0 && (
        <Empty title={t('senders.request.none')}>{t('senders.request.noneText')}</Empty>
      )}
      <CardList takesFocus>
        {open.map(request => (
          <Open key={request.id} request={request} />
        ))}
      </CardList>
      {answered.length > 0 && (
        <>
          <h3 className="mt-5 mb-1.5 font-serif text-[1.1rem] font-semibold">
            {t('senders.request.answered')}
          </h3>
          <ul className="grid gap-2">
            {answered.map(request => (
              <li key={request.id} className="border-b border-line pb-2 text-[0.95rem]">
                <Asked request={request} />
                <p>
                  <b>{t(`senders.request.state.${request.state}`, { by: request.answeredBy })}</b>{' '}
                  {request.answer}
                </p>
              </li>
            ))}
          </ul>
        </>
      )}
    </SidePanel>
  )
}

function Asked({ request }: { request: EntryRequest }) {
  const { t } = useTranslation()
  const times = useTimes()
  return (
    <>
      <p className="flex items-baseline gap-1.5">
        <StandingMark standing={request.standing} />
        <span className="font-mono font-semibold">{request.pattern}</span>
        <span className="text-ink-2">{t(`standing.${request.standing}`)}</span>
      </p>
      <p className="text-[0.92rem] text-ink-2">
        {t('senders.request.by', {
          by: request.askedBy,
          name: request.mailboxName,
          time: times.short(request.askedAt),
        })}
        {request.reason !== '' && ` “${request.reason}”`}
      </p>
    </>
  )
}

function useAnswering(request: EntryRequest, answer: string) {
  const { t } = useTranslation()
  const { busy, run } = useListActs()
  const { data: reach, error } = useQuery({
    queryKey: queryKeyOf('reach', 'request', request.pattern, request.standing),
    queryFn: ({ signal }) =>
      call(previewChange, {
        body: { add: [{ pattern: request.pattern, standing: request.standing, mailboxId: null }] },
        signal,
      }),
  })
  const give = (approve: boolean) =>
    call(answerRequest, { params: { id: request.id }, body: { approve, answer, token: crypto.randomUUID() } })
  const declining = useAct({
    send: () => give(false),
    notice: () => ({ text: t('senders.request.declined') }),
    makes: 'senders-worked',
  })
  const approve = () =>
    run(async () => {
      const { applied } = await give(true)
      if (!applied) throw new Error('approved without an entry')
      return applied
    })
  return { busy, approve, declining, reach, error }
}

function Open({ request }: { request: EntryRequest }) {
  const { t } = useTranslation()
  const session = useSession()
  const [answer, setAnswer] = useState('')
  const { busy, approve, declining, reach, error } = useAnswering(request, answer)
  return (
    <li data-card tabIndex={-1} className="rounded-md border border-line-strong bg-sheet px-4 py-3">
      <Asked request={request} />
      <div className="mt-1.5 text-[0.95rem]" aria-live="polite">
        {reach ? (
          <ReachView reach={reach} />
        ) : (
          <p className="text-ink-2">{error ? problemOf(error).text : t('reach.counting', { days: 30 })}</p>
        )}
      </div>
      {maySteer(session) ? (
        <div className="mt-2 grid gap-2">
          <input
            value={answer}
            maxLength={1000}
            onChange={event => setAnswer(event.target.value)}
            aria-label={t('senders.request.answer')}
            placeholder={t('senders.request.answer')}
            className="rounded-sm border border-line-strong bg-raised px-2 py-1"
          />
          <p className="flex gap-2">
            <Button kind="main" data-main disabled={busy} onClick={approve}>
              {t('senders.request.approve')}
            </Button>
            <Button disabled={declining.isPending || answer.trim() === ''} onClick={() => declining.mutate()}>
              {t('senders.request.decline')}
            </Button>
          </p>
        </div>
      ) : (
        <p className="mt-2 text-[0.92rem] text-ink-2">{t('senders.request.waits')}</p>
      )}
    </li>
  )
}
