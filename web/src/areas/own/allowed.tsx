import type { ReactNode } from 'react'
import { useTranslation } from 'react-i18next'
import type { OwnPart } from '@pendro/contract'
import { useOwnSession } from './own-session.ts'

/** What the organisation may keep to itself: shown as it is, and not to be changed where it does. */
export function Allowed({ part, children }: { part: OwnPart; children: ReactNode }) {
  const { t } = useTranslation()
  const { may } = useOwnSession()
  if (may[part]) return children
  return (
    <>
      <p className="mt-3 rounded-md bg-tint px-3 py-2">{t(`own.notHere.${part}`)}</p>
      <fieldset disabled className="min-w-0">
        {children}
      </fieldset>
    </>
  )
}
