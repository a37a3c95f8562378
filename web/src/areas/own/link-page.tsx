import { useTranslation } from 'react-i18next'
import { Link, useParams } from 'react-router'
import { ownAct } from '@pendro/contract'
import { Empty } from '../../parts/states.tsx'
import { OwnMessage } from './own-message.tsx'
import { useLink } from './own-pages.tsx'
import { useOwnSession } from './own-session.ts'

/** Where the links of a digest lead: a page that shows the message and what would be done, and waits. */
export function LinkPage() {
  const { t } = useTranslation()
  const { token, act } = useParams()
  const { address, name } = useOwnSession()
  const { data } = useLink(token, address)
  if (!data) return null
  const isOthers = data.state === 'good' && data.deliveryId === null
  if (data.state !== 'good' || data.deliveryId === null)
    return (
      <Empty title={t(`own.link.${isOthers ? 'other' : data.state}.title`)}>
        <p>{t(`own.link.${isOthers ? 'other' : data.state}.text`, { name })}</p>
        <p className="mt-3">
          <Link to="/own" className="border-b border-current font-semibold text-petrol">
            {t('own.link.own')}
          </Link>
        </p>
      </Empty>
    )
  return <OwnMessage id={data.deliveryId} proposed={ownAct.safeParse(act).data ?? null} />
}
