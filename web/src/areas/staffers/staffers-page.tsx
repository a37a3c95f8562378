import { KeysCard } from './keys-card.tsx'
import { ClearFactors } from './clear-factors.tsx'
import { DepartmentsSlot } from './departments-slot.tsx'
import { AreaPage } from '../../parts/area-page.tsx'
import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import {
  changeStaffer,
  endSessions,
  listStaffers,
  type StafferChange,
  type StafferRow,
} from '@pendro/contract'
import { call } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { useSession, maySteer } from '../../app/session.ts'
import { useTimes } from '../../app/times.ts'
import { useAct } from '../../app/use-act.ts'
import { Button } from '../../parts/buttons.tsx'
import { Empty, Failed, SkeletonRows } from '../../parts/states.tsx'
import { Card } from '../../parts/card.tsx'
import { InviteCard } from './invite-card.tsx'
import { ThrottlesCard } from './throttles-card.tsx'
import { RoleChoice } from './role-choice.tsx'

/** Who works with Pendro: roles, who is suspended, who is invited. */
export function StaffersPage() {
  const { t } = useTranslation()
  const session = useSession()
  const { staffer } = session
  const may = maySteer(session)
  const { data, error, refetch } = useQuery({
    queryKey: queryKeyOf('staffers'),
    enabled: may,
    queryFn: ({ signal }) => call(listStaffers, { signal }),
  })
  return (
    <AreaPage
      title={t('staffers.title')}
      lead={
        <>
          {t('staffers.text')}{' '}
          <Link to="/organisation" className="border-b border-current text-petrol">
            {t('staffers.back')}
          </Link>
        </>
      }
    >
      {!may && <Empty title={t('staffers.only')} />}
      {error && !data && <Failed error={error} onAgain={() => void refetch()} />}
      {may && !data && !error && <SkeletonRows count={4} />}
      {data && (
        <div className="grid items-start gap-3 min-[1080px]:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
          <Card title={t('staffers.title')}>
            <ul>
              {data.staffers.map(one => (
                <Staffer key={one.id} staffer={one} there={data.departments} isOwn={one.id === staffer.id} />
              ))}
            </ul>
          </Card>
          <div className="grid gap-3">
            <InviteCard invitations={data.invitations} departments={data.departments} />
            <KeysCard />
            <ThrottlesCard />
          </div>
        </div>
      )}
    </AreaPage>
  )
}

function Staffer({
  staffer,
  there,
  isOwn,
}: {
  staffer: StafferRow
  there: readonly string[]
  isOwn: boolean
}) {
  const { t } = useTranslation()
  const { id, name, signIn, role, departments, suspendedAt } = staffer
  const { change, signOut } = useStaffer(staffer)
  // Groups at the identity provider say it anew at each sign-in.
  const isFixed = change.isPending || staffer.identity === 'groups'
  return (
    <li className="grid grid-cols-[minmax(0,1fr)_auto] items-baseline gap-x-4 gap-y-1 border-t border-line py-2.5">
      <span>
        <b className={suspendedAt ? 'font-normal text-ink-2 line-through' : ''}>{name}</b>{' '}
        <span className="text-ink-2">
          {signIn}
          {isOwn && ` · ${t('staffers.you')}`}
        </span>
      </span>
      <RoleChoice
        label={t('staffers.role', { name })}
        role={role}
        disabled={isFixed}
        onPick={to => change.mutate({ what: 'role', was: role, to })}
      />
      <p className="col-span-2">
        {t('staffers.looksAfter')}{' '}
        <DepartmentsSlot
          label={t('staffers.departmentsOf', { name })}
          value={departments}
          there={there}
          disabled={isFixed}
          onPick={to => change.mutate({ what: 'departments', was: departments, to })}
        />
      </p>
      <Seen staffer={staffer} />
      <span className="flex flex-wrap justify-end gap-x-4">
        {staffer.factors > 0 && !isOwn && <ClearFactors staffer={staffer} />}
        <Button kind="link" onClick={() => signOut.mutate(id)}>
          {t('staffers.signOut')}
        </Button>
        <Button
          kind="link"
          onClick={() =>
            change.mutate({ what: 'suspended', was: suspendedAt !== null, to: suspendedAt === null })
          }
        >
          {t(suspendedAt ? 'staffers.resume' : 'staffers.suspend')}
        </Button>
      </span>
    </li>
  )
}

function Seen({ staffer: { suspendedAt, lastSeen, sessions, factors, identity } }: { staffer: StafferRow }) {
  const { t } = useTranslation()
  const times = useTimes()
  return (
    <span className="text-[0.95rem] text-ink-2">
      {[
        suspendedAt ? t('staffers.suspended', { day: times.day(suspendedAt) }) : '',
        lastSeen ? t('staffers.seen', { at: times.short(lastSeen) }) : t('staffers.never'),
        sessions > 0 ? t('staffers.sessions', { count: sessions }) : '',
        factors > 0
          ? t('staffers.factors', { count: factors })
          : identity === 'none'
            ? t('staffers.noFactor')
            : '',
        identity === 'none' ? '' : t(`staffers.identity.${identity}`),
      ]
        .filter(Boolean)
        .join(' · ')}
    </span>
  )
}

/** What can be done about somebody; each turned round by the notice. */
function useStaffer({ id, name }: StafferRow) {
  const { t } = useTranslation()
  const send = (change: StafferChange) => call(changeStaffer, { params: { id }, body: { change } })
  const back = useAct({
    send,
    notice: () => ({ text: t('staffers.changed', { name }) }),
    makes: 'staffers-changed',
  })
  const change = useAct({
    send,
    notice: (_, given) => ({
      text:
        given.what === 'suspended'
          ? t(given.to ? 'staffers.suspendedNow' : 'staffers.resumed', { name })
          : t('staffers.changed', { name }),
      action: { label: t('staffers.undo'), run: () => back.mutate(turned(given)) },
    }),
    makes: 'staffers-changed',
  })
  const signOut = useAct({
    send: (of: number) => call(endSessions, { params: { id: of }, body: {} }),
    notice: ({ ended }) => ({ text: t('staffers.signedOut', { count: ended, name }) }),
    makes: 'staffers-changed',
  })
  return { change, signOut }
}

const turned = (change: StafferChange): StafferChange =>
  ({ ...change, was: change.to, to: change.was }) as StafferChange
