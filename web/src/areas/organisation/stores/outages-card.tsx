import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import { declareOutage, readOutages, tellColleagues, type OutageShape } from '@pendro/contract'
import { call } from '../../../app/api.ts'
import { useNotices } from '../../../app/notices.ts'
import { queryKeyOf } from '../../../app/query-keys.ts'
import { useTimes } from '../../../app/times.ts'
import { useAct } from '../../../app/use-act.ts'
import { Button } from '../../../parts/buttons.tsx'

const every = 5000

const useOutages = () =>
  useQuery({
    queryKey: queryKeyOf('stores', 'outages'),
    queryFn: ({ signal }) => call(readOutages, { signal }),
    refetchInterval: every,
  })

function useDeclare() {
  const { t } = useTranslation()
  return useAct({
    send: (body: { store: string; away: boolean }) => call(declareOutage, { body }),
    notice: (_, { away }) => ({ text: t(`stores.outage.${away ? 'saidAway' : 'saidBack'}`) }),
    makes: 'stores-changed',
  })
}

/** Mail stores that are away or were just now: since when, what waits and for whom. */
export function OutagesCard({ may }: { may: boolean }) {
  const { data } = useOutages()
  return data?.outages.map(outage => (
    <Outage key={outage.store} outage={outage} may={may} canTell={data.canTell} />
  ))
}

/** Says of a mail store that answers, or has not been found out yet, that it is away. */
export function DeclareAway() {
  const { t } = useTranslation()
  const { data } = useOutages()
  const declaring = useDeclare()
  const well = data?.stores.filter(
    store => !data.outages.some(one => one.store === store && one.since !== null),
  )
  if (well?.length === 0) return null
  return (
    // Its line is kept while it is asked: what is below must not jump.
    <p className="mt-2 flex min-h-[1.7rem] flex-wrap gap-x-5">
      {well?.map(store => (
        <Button
          key={store}
          kind="link"
          disabled={declaring.isPending}
          onClick={() => declaring.mutate({ store, away: true })}
        >
          {store === '' ? t('stores.outage.declare') : t('stores.outage.declareOf', { store })}
        </Button>
      ))}
    </p>
  )
}

function Outage({ outage, may, canTell }: { outage: OutageShape; may: boolean; canTell: boolean }) {
  const { t } = useTranslation()
  const times = useTimes()
  const declaring = useDeclare()
  const { store, since, declaredBy, detail, waiting, oldest, colleagues, unfiled, most } = outage
  const what = since === null ? 'back' : declaredBy === '' ? 'title' : 'away'
  const title = `stores.outage.${what}${store === '' ? 'Own' : ''}`
  return (
    <section role="status" className="rounded-lg border border-amber/50 bg-amber-tint px-4 py-3">
      <h3 className="font-serif text-[1.1rem] font-semibold">{t(title, { store })}</h3>
      <p>
        {since !== null && t('stores.outage.since', { time: times.full(since) })}{' '}
        {declaredBy !== '' && t('stores.outage.declared', { name: declaredBy })}{' '}
        {t('stores.outage.waits', {
          count: waiting,
          colleagues: t('stores.outage.colleagues', { count: colleagues }),
        })}{' '}
        {oldest !== null && t('stores.outage.oldest', { time: times.full(oldest) })}{' '}
        {unfiled > 0 && t('stores.outage.unfiled', { count: unfiled })}
      </p>
      {detail !== '' && <p className="break-words text-ink-2">“{detail}”</p>}
      {most.length > 0 && (
        <p>
          {t('stores.outage.most')}{' '}
          {most.map(({ mailboxId, name, waiting: n }, i) => (
            <span key={mailboxId}>
              {i > 0 && ', '}
              <Link to={`/mailboxes/${mailboxId}`} className="border-b border-current text-petrol">
                {name}
              </Link>{' '}
              ({n})
            </span>
          ))}
        </p>
      )}
      {since !== null && <Address />}
      {since !== null && <Telling outage={outage} may={may} canTell={canTell} />}
      {may && declaredBy !== '' && (
        <Button
          kind="link"
          className="mt-1"
          disabled={declaring.isPending}
          onClick={() => declaring.mutate({ store, away: false })}
        >
          {t('stores.outage.declareBack')}
        </Button>
      )}
    </section>
  )
}

/** Where colleagues go on, to be handed on by phone or any other way. */
function Address() {
  const { t } = useTranslation()
  const show = useNotices(state => state.show)
  const url = `${location.origin}/own/standby`
  return (
    <p>
      {t('stores.outage.link', { url })}{' '}
      <Button
        kind="link"
        onClick={() =>
          void navigator.clipboard
            .writeText(url)
            .then(() => show({ tone: 'done', text: t('stores.outage.copied') }))
        }
      >
        {t('stores.outage.copy')}
      </Button>
    </p>
  )
}

/** Messages to the colleagues themselves, by the address that is set for that: how far they have come. */
function Telling({ outage, may, canTell }: { outage: OutageShape; may: boolean; canTell: boolean }) {
  const { t } = useTranslation()
  const { store, people, told } = outage
  const telling = useAct({
    send: () => call(tellColleagues, { body: { store } }),
    notice: ({ colleagues }) => ({ text: t('stores.outage.telling', { count: colleagues }) }),
    makes: 'stores-changed',
  })
  const left = told === null ? people : told.failed
  if (!canTell) return may ? <p className="text-ink-2">{t('stores.outage.noWebhook')}</p> : null
  return (
    <p role="status">
      {told !== null && (
        <>
          {t('stores.outage.told', { sent: told.sent, count: told.sent + told.waiting + told.failed })}{' '}
          {told.waiting > 0 && (
            <progress
              className="mr-1 h-2 w-24 accent-petrol"
              value={told.sent + told.failed}
              max={told.sent + told.waiting + told.failed}
              aria-label={t('stores.outage.tellProgress')}
            />
          )}
          {told.failed > 0 && (
            <span className="text-stop">{t('stores.outage.untold', { count: told.failed })} </span>
          )}
          {told.said !== '' && <span className="break-words text-ink-2">“{told.said}” </span>}
        </>
      )}
      {may && left > 0 && (
        <Button kind="link" disabled={telling.isPending} onClick={() => telling.mutate()}>
          {t(told === null ? 'stores.outage.tell' : 'stores.outage.tellAgain', { count: left })}
        </Button>
      )}
    </p>
  )
}
