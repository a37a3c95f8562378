import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import type { StoreScriptShape } from '@pendro/contract'
import { useTimes } from '../../app/times.ts'
import { Button } from '../../parts/buttons.tsx'
import { Failed, SkeletonRows } from '../../parts/states.tsx'
import { StoreScripts } from './store-scripts.tsx'
import { useAtStore } from '../../parts/use-at-store.ts'
import { useLookAtStore, usePutAtStore, useUndoAtStore } from './use-at-store.ts'

const link = 'border-b border-current text-petrol hover:text-ink'

interface PaneProps {
  readonly mailbox: number
  readonly may: boolean
}

/** How the rules and the reply of a mailbox stand at its store, and who decides where they differ. */
export function AtStore({ mailbox, may }: PaneProps) {
  const { t } = useTranslation()
  const times = useTimes()
  const { data, error, refetch } = useAtStore(mailbox)
  const looking = useLookAtStore(mailbox)
  if (error && !data) return <Failed error={error} onAgain={() => void refetch()} />
  if (!data) return <SkeletonRows count={4} />
  const { store, lookedAt, own, left, state } = data
  return (
    <div className="h-full overflow-y-auto px-6 py-4 max-[899px]:px-4">
      <div className="flex flex-wrap items-baseline justify-between gap-x-4">
        <h2 className="font-serif text-[1.2rem] font-semibold">
          {store === '' ? t('atStore.title') : t('atStore.titleOf', { store })}
        </h2>
        <Button kind="link" disabled={looking.isPending} onClick={() => looking.mutate()}>
          {t(looking.isPending ? 'atStore.looking' : 'atStore.lookAgain')}
        </Button>
      </div>
      <p className="mt-1 text-ink-2">{t('atStore.what')}</p>
      <div aria-live="polite" className="mt-3 grid gap-2">
        <Stands data={data} />
        {data.answersTwice && <Caution>{t('atStore.twice', { own })}</Caution>}
      </div>
      {own !== '' && state !== 'out' && (
        <p className="mt-2">{t(state === 'kept' ? 'atStore.own' : 'atStore.ownNext', { own })}</p>
      )}
      {left.length > 0 && (
        <p className="mt-2">
          {t('atStore.left', { count: left.length, names: left.map(name => `“${name}”`).join(', ') })}
        </p>
      )}
      {lookedAt !== null && (
        <p className="mt-2 text-ink-2">{t('atStore.looked', { time: times.full(lookedAt) })}</p>
      )}
      {may && <Acts mailbox={mailbox} data={data} />}
      <StoreScripts data={data} />
    </div>
  )
}

function Caution({ children }: { children: React.ReactNode }) {
  return <div className="rounded-md border border-amber/50 bg-amber-tint px-3 py-2">{children}</div>
}

function Stands({ data }: { data: StoreScriptShape }) {
  const { t } = useTranslation()
  const times = useTimes()
  const { state, keptAt, runs, takenOut, trouble, detail } = data
  const words =
    state === 'changed' && takenOut
      ? t('atStore.state.taking')
      : state === 'not-run' && runs === ''
        ? t('atStore.state.not-runNone')
        : t(`atStore.state.${state}`, { runs, time: keptAt === null ? '' : times.full(keptAt) })
  return (
    <>
      {trouble !== '' && (
        <Caution>
          <p className="font-semibold">{t('atStore.trouble')}</p>
          <p>{trouble === 'full' ? t('atStore.full') : t(`mailboxes.inStore.troubles.${trouble}`)}</p>
          {detail !== '' && <p className="break-words text-ink-2">“{detail}”</p>}
        </Caution>
      )}
      {state === 'changed' || state === 'not-run' ? (
        <Caution>{words}</Caution>
      ) : (
        (trouble === '' || state === 'kept') && <p>{words}</p>
      )}
    </>
  )
}

function Acts({ mailbox, data }: { mailbox: number; data: StoreScriptShape }) {
  const { t } = useTranslation()
  const putting = usePutAtStore(mailbox)
  const undoing = useUndoAtStore(mailbox)
  const { state, takenOut, own, scripts, canUndo, seen } = data
  const theirs = scripts.find(
    ({ name, there, here }) => name.endsWith('rules') && there !== null && there !== here,
  )
  const mayPut = (state === 'changed' || state === 'not-run') && !takenOut
  const label =
    state === 'changed'
      ? t('atStore.put')
      : own === ''
        ? t('atStore.putRunNone')
        : t('atStore.putRun', { own })
  return (
    <p className="mt-3 flex flex-wrap items-center gap-x-4 gap-y-2">
      {mayPut && (
        <Button kind="main" disabled={putting.isPending} onClick={() => putting.mutate(seen)}>
          {label}
        </Button>
      )}
      {state === 'changed' && theirs && (
        <Link to={`/mailboxes/${mailbox}/rules/bring-in`} state={{ script: theirs.there }} className={link}>
          {t('atStore.take')}
        </Link>
      )}
      {canUndo && state === 'kept' && (
        <Button kind="link" disabled={undoing.isPending} onClick={() => undoing.mutate()}>
          {t('atStore.undo')}
        </Button>
      )}
    </p>
  )
}
