import { queryKeyOf } from '../../app/query-keys.ts'
import { useEffect } from 'react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { clsx } from 'clsx'
import { useTranslation } from 'react-i18next'
import { NavLink, Outlet, useParams } from 'react-router'
import { digestLink, leaveOwn } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { NoticeBar } from '../../app/notice-bar.tsx'
import { Failed } from '../../parts/states.tsx'
import { ownSessionKey, useOwnLanguage, useOwnSessionQuery, useProblemText } from './own-session.ts'
import { useOwnQuestions } from './own-questions.tsx'
import { useOwnAct } from './use-own-act.ts'
import { useStandby } from './standby/use-standby.ts'
import { OwnSignIn } from './own-sign-in.tsx'

/** What a followed link says of itself; asked again when somebody signs in. */
export function useLink(token: string | undefined, reader: string) {
  return useQuery({
    queryKey: queryKeyOf('own', 'link', token, reader),
    enabled: token !== undefined,
    queryFn: ({ signal }) => call(digestLink, { params: { token: token ?? '' }, signal }),
  })
}

export function OwnFrame() {
  return <Frame token={undefined} />
}

export function LinkFrame() {
  const { token } = useParams()
  return <Frame token={token ?? ''} />
}

/** Frame of the colleagues' own pages: made for a phone first, in their language. */
function Frame({ token }: { token: string | undefined }) {
  const { t } = useTranslation()
  const problemText = useProblemText()
  const session = useOwnSessionQuery()
  const link = useLink(token, session.data?.address ?? '')
  const speaks = useOwnLanguage(session.data?.language ?? (link.data?.language || undefined))
  useEffect(() => {
    if (speaks) document.title = `${t('own.title')} · Pendro`
  }, [speaks, t])
  if (session.error && speaks)
    return <Failed say={problemText} error={session.error} onAgain={() => void session.refetch()} />
  if (session.isPending || !speaks || (token !== undefined && link.isPending)) return null
  return (
    <div className="flex min-h-full flex-col bg-ground">
      <a
        href="#main"
        className="sr-only focus:not-sr-only focus:absolute focus:z-50 focus:bg-raised focus:p-2"
      >
        {t('own.skip')}
      </a>
      <header className="bg-petrol-deep text-[#EFF4F2]">
        <div className="mx-auto flex max-w-3xl flex-wrap items-stretch gap-x-6 px-4">
          <span className="flex items-center gap-2 py-2 font-serif text-[1.2rem] font-semibold text-[#F7F3EA]">
            <img src="/mark.svg" alt="" className="size-6" />
            Pendro
          </span>
          {session.data && <Pages />}
        </div>
      </header>
      <main id="main" className="mx-auto w-full max-w-3xl flex-1 px-4 py-4">
        {session.data ? <Outlet /> : <OwnSignIn address={link.data?.address ?? ''} />}
      </main>
      {session.data && <Foot organisation={session.data.organisation} />}
      <NoticeBar />
    </div>
  )
}

function Pages() {
  const { t } = useTranslation()
  const unread = useOwnQuestions().data?.questions.reduce((sum, one) => sum + one.unread, 0) ?? 0
  const standby = useStandby().data?.state ?? 'closed'
  const pages = [
    ['/own', 'mail'],
    ...(standby === 'closed' ? [] : ([['/own/standby', 'standbyPage']] as const)),
    ['/own/senders', 'senders'],
    ['/own/rules', 'rulesPage'],
    ['/own/questions', 'questions'],
    ['/own/digests', 'settings'],
  ] as const
  return (
    <nav aria-label={t('own.pages')} className="flex flex-wrap gap-x-5">
      {pages.map(([to, name]) => (
        <NavLink
          key={to}
          to={to}
          end={to === '/own'}
          className={({ isActive }) =>
            clsx(
              'flex min-h-11 items-center border-b-4 border-transparent pt-1 outline-offset-[-4px] hover:text-white focus-visible:outline-brass',
              isActive && 'border-brass font-bold text-white',
            )
          }
        >
          {t(`own.${name}`)}
          {name === 'questions' && unread > 0 && (
            <span className="ml-1.5 rounded-full bg-brass px-1.5 text-[0.85rem] font-bold text-petrol-deep">
              {unread}
              <span className="sr-only"> {t('own.question.unread', { count: unread })}</span>
            </span>
          )}
        </NavLink>
      ))}
    </nav>
  )
}

function Foot({ organisation }: { organisation: string }) {
  const { t } = useTranslation()
  const client = useQueryClient()
  const leaving = useOwnAct({
    send: () => call(leaveOwn),
    onDone: () => {
      client.removeQueries({ queryKey: queryKeyOf('own') })
      client.setQueryData(ownSessionKey, null)
    },
  })
  return (
    <footer className="mx-auto w-full max-w-3xl border-t border-line px-4 py-4 text-[0.95rem] text-ink-2">
      <p>{t('own.help', { organisation })}</p>
      <button
        type="button"
        className="mt-2 min-h-8 border-b border-current text-petrol"
        onClick={() => leaving.mutate()}
      >
        {t('own.leave')}
      </button>
    </footer>
  )
}
