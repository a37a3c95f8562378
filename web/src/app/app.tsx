import { lazy, Suspense, useEffect, type ReactNode } from 'react'
import { QueryCache, QueryClient, QueryClientProvider, MutationCache } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { createBrowserRouter, Navigate, RouterProvider, useLocation, useRouteError } from 'react-router'
import { Empty, Failed } from '../parts/states.tsx'
import { Problem } from './api.ts'
import { forgetSession, SessionContext, useSessionQuery } from './session.ts'
import { Shell } from './shell.tsx'

const loadReview = () => import('../areas/review/review-area.tsx').then(m => ({ default: m.ReviewArea }))
const ReviewArea = lazy(loadReview)
const SignIn = lazy(() => import('../areas/sign-in/sign-in.tsx').then(m => ({ default: m.SignIn })))
const BackPage = lazy(() => import('../areas/sign-in/back-page.tsx').then(m => ({ default: m.BackPage })))
const DigestsArea = lazy(() => import('../areas/digests/index.ts').then(m => ({ default: m.DigestsArea })))
const SendersArea = lazy(() => import('../areas/senders/index.ts').then(m => ({ default: m.SendersArea })))
const BringIn = lazy(() => import('../areas/senders/index.ts').then(m => ({ default: m.BringIn })))
const WhereaboutsArea = lazy(() =>
  import('../areas/whereabouts/index.ts').then(m => ({ default: m.WhereaboutsArea })),
)
const ExactList = lazy(() => import('../areas/whereabouts/index.ts').then(m => ({ default: m.ExactList })))
const Account = lazy(() => import('../areas/whereabouts/index.ts').then(m => ({ default: m.Account })))
const OwnArea = lazy(() => import('../areas/own/index.tsx').then(m => ({ default: m.OwnArea })))
const LinkArea = lazy(() => import('../areas/own/index.tsx').then(m => ({ default: m.LinkArea })))
const MailboxesArea = lazy(() =>
  import('../areas/mailboxes/index.ts').then(m => ({ default: m.MailboxesArea })),
)
const WatchingPage = lazy(() =>
  import('../areas/mailboxes/index.ts').then(m => ({ default: m.WatchingPage })),
)
const MailRulesPage = lazy(() =>
  import('../areas/mail-rules/index.ts').then(m => ({ default: m.MailRulesPage })),
)
const CalibrationArea = lazy(() =>
  import('../areas/calibration/index.ts').then(m => ({ default: m.CalibrationArea })),
)
const OrganisationArea = lazy(() =>
  import('../areas/organisation/index.ts').then(m => ({ default: m.OrganisationArea })),
)
const StoresPage = lazy(() => import('../areas/organisation/index.ts').then(m => ({ default: m.StoresPage })))
const DoorsPage = lazy(() => import('../areas/organisation/index.ts').then(m => ({ default: m.DoorsPage })))
const LearningPage = lazy(() =>
  import('../areas/organisation/index.ts').then(m => ({ default: m.LearningPage })),
)
const StepsPage = lazy(() => import('../areas/organisation/index.ts').then(m => ({ default: m.StepsPage })))
const StaffersPage = lazy(() => import('../areas/staffers/index.ts').then(m => ({ default: m.StaffersPage })))
const InvitationPage = lazy(() =>
  import('../areas/staffers/index.ts').then(m => ({ default: m.InvitationPage })),
)
const MePage = lazy(() => import('../areas/me/index.ts').then(m => ({ default: m.MePage })))
const RecordArea = lazy(() => import('../areas/record/index.ts').then(m => ({ default: m.RecordArea })))

const onError = (error: unknown) => {
  if (error instanceof Problem && error.code === 'SIGN_IN_FIRST') forgetSession(client)
}

const client: QueryClient = new QueryClient({
  queryCache: new QueryCache({ onError }),
  mutationCache: new MutationCache({ onError }),
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      refetchOnWindowFocus: true,
      // A database that is away comes back; what was wrong with the request stays wrong.
      retry: (count, error) =>
        count < 4 && error instanceof Problem && (error.status === 503 || error.code === 'OFFLINE'),
      retryDelay: attempt => Math.min(500 * 2 ** attempt, 5000),
    },
  },
})

/** Screens that come with their own code; each titled by its area, whose name is there from the start. */
const laterRoutes = [
  { path: 'review', title: 'areas.review', Page: ReviewArea },
  { path: 'review/:id', title: 'areas.review', Page: ReviewArea },
  { path: 'whereabouts', title: 'areas.whereabouts', Page: WhereaboutsArea },
  { path: 'whereabouts/list', title: 'areas.whereabouts', Page: ExactList },
  { path: 'whereabouts/account/:id', title: 'areas.whereabouts', Page: Account },
  { path: 'digests', title: 'areas.digests', Page: DigestsArea },
  { path: 'digests/:id', title: 'areas.digests', Page: DigestsArea },
  { path: 'senders', title: 'areas.senders', Page: SendersArea },
  { path: 'senders/:id', title: 'areas.senders', Page: SendersArea },
  { path: 'senders/bring-in', title: 'areas.senders', Page: BringIn },
  { path: 'senders/bring-in/:id', title: 'areas.senders', Page: BringIn },
  { path: 'mailboxes', title: 'areas.mailboxes', Page: MailboxesArea },
  { path: 'mailboxes/:id', title: 'areas.mailboxes', Page: MailboxesArea },
  { path: 'mailboxes/watching', title: 'areas.mailboxes', Page: WatchingPage },
  { path: 'mailboxes/rules', title: 'areas.mailboxes', Page: MailRulesPage },
  { path: 'mailboxes/rules/:rule', title: 'areas.mailboxes', Page: MailRulesPage },
  { path: 'mailboxes/:id/rules', title: 'areas.mailboxes', Page: MailRulesPage },
  { path: 'mailboxes/:id/rules/:rule', title: 'areas.mailboxes', Page: MailRulesPage },
  { path: 'calibration', title: 'areas.calibration', Page: CalibrationArea },
  { path: 'organisation', title: 'areas.organisation', Page: OrganisationArea },
  { path: 'organisation/doors', title: 'areas.organisation', Page: DoorsPage },
  { path: 'organisation/stores', title: 'areas.organisation', Page: StoresPage },
  { path: 'organisation/learning', title: 'areas.organisation', Page: LearningPage },
  { path: 'organisation/steps', title: 'areas.organisation', Page: StepsPage },
  { path: 'organisation/staffers', title: 'areas.organisation', Page: StaffersPage },
  { path: 'record', title: 'areas.record', Page: RecordArea },
  { path: 'me', title: 'shell.me', Page: MePage },
] as const

// Review is what most days begin with: it is on its way while the session is looked up.
if (/^\/(?:review|$)/.test(location.pathname)) void loadReview()

const router = createBrowserRouter([
  // What has nothing of the staffers' frame around it: the way in, and the colleagues' own pages.
  ...[
    { path: '/sign-in', Area: SignIn },
    { path: '/sign-in/back', Area: BackPage },
    { path: '/own/*', Area: OwnArea },
    { path: '/d/*', Area: LinkArea },
    { path: '/invitation', Area: InvitationPage },
  ].map(({ path, Area }) => ({
    path,
    element: (
      <Suspense fallback={null}>
        <Area />
      </Suspense>
    ),
    errorElement: <RouteFailed />,
  })),
  {
    path: '/',
    element: (
      <SignedInOnly>
        <Shell />
      </SignedInOnly>
    ),
    errorElement: <RouteFailed />,
    children: [
      { index: true, element: <Navigate to="/review" replace /> },
      ...laterRoutes.map(({ path, title, Page }) => ({
        path,
        element: (
          <Later title={title}>
            <Page />
          </Later>
        ),
        // An area that fails leaves the frame around it, and the way to the others.
        errorElement: <RouteFailed />,
      })),
      { path: '*', element: <NothingHere /> },
    ],
  },
])

function Later({ title, children }: { title: string; children: ReactNode }) {
  const { t } = useTranslation()
  const name = t(title)
  useEffect(() => {
    document.title = `${name} · Pendro`
  }, [name])
  return <Suspense fallback={null}>{children}</Suspense>
}

function SignedInOnly({ children }: { children: ReactNode }) {
  const { data, isPending, error, refetch } = useSessionQuery()
  const { pathname, search } = useLocation()
  if (isPending) return null
  if (error) return <Failed error={error} onAgain={() => void refetch()} />
  if (data === null) return <Navigate to="/sign-in" replace state={{ from: pathname + search }} />
  return <SessionContext value={data}>{children}</SessionContext>
}

function NothingHere() {
  const { t } = useTranslation()
  return <Empty title={t('nothingHere.title')}>{t('nothingHere.text')}</Empty>
}

function RouteFailed() {
  return <Failed error={useRouteError()} onAgain={() => location.reload()} />
}

export function App() {
  return (
    <QueryClientProvider client={client}>
      <RouterProvider router={router} />
    </QueryClientProvider>
  )
}
