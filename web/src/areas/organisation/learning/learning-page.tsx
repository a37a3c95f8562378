import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import { maySteer, useSession } from '../../../app/session.ts'
import { useNumbers } from '../../../app/times.ts'
import { AreaPage } from '../../../parts/area-page.tsx'
import { Failed, SkeletonRows } from '../../../parts/states.tsx'
import { FilesCard } from './files-card.tsx'
import { ImapCard } from './imap-card.tsx'
import { RunsCard } from './runs-card.tsx'
import { useHistory } from './use-history.ts'

/** Learning from mail there was before Pendro: correspondents, senders, words. */
export function LearningPage() {
  const { t } = useTranslation()
  const { number } = useNumbers()
  const { data, error, refetch } = useHistory()
  const may = maySteer(useSession())
  return (
    <AreaPage
      title={t('learning.title')}
      lead={
        <>
          {data && t('learning.lead', { count: data.learned, n: number(data.learned) })}{' '}
          {!may && t('learning.only')}{' '}
          <Link to="/organisation" className="border-b border-current text-petrol">
            {t('learning.back')}
          </Link>
        </>
      }
    >
      {error && !data && <Failed error={error} onAgain={() => void refetch()} />}
      {!data && !error && <SkeletonRows count={5} />}
      {data && (
        <div className="grid items-start gap-3 min-[1080px]:grid-cols-2">
          <div className="grid min-w-0 gap-3">
            <FilesCard ready={data.ready} found={data.found} may={may} />
            {may && <ImapCard />}
          </div>
          <RunsCard runs={data.runs} may={may} />
        </div>
      )}
    </AreaPage>
  )
}
