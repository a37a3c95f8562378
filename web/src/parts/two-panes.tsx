import { clsx } from 'clsx'
import type { ReactNode } from 'react'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'

interface Props {
  /** Widths of the two where there is room for both. */
  readonly columns: string
  readonly list: ReactNode
  readonly detail: ReactNode
  /** Something of the list is open: where one pane is shown at a time it is this one. */
  readonly isOpen: boolean
  /** Where the list is without it. */
  readonly back: string
  /** With nothing open the second pane has something to say, too: it follows the list. */
  readonly stacked?: boolean
}

/** A list and what is open of it, side by side; in narrow windows one at a time, with a way back. */
export function TwoPanes({ columns, list, detail, isOpen, back, stacked = false }: Props) {
  const { t } = useTranslation()
  return (
    <div
      className={clsx(
        'grid min-h-0 grid-cols-[minmax(0,1fr)]',
        stacked && !isOpen && 'max-[899px]:grid-rows-[max(20rem,60vh)_auto]',
        columns,
      )}
    >
      <div className={clsx('min-h-0 min-w-0', isOpen && 'max-[899px]:hidden')}>{list}</div>
      <div
        className={clsx(
          'flex min-h-0 min-w-0 flex-col border-line-strong min-[900px]:border-l',
          !isOpen && !stacked && 'max-[899px]:hidden',
        )}
      >
        <p className={clsx('border-b border-line px-4 py-1.5 min-[900px]:hidden', !isOpen && 'hidden')}>
          <Link to={back} className="border-b border-current text-petrol">
            {t('panes.back')}
          </Link>
        </p>
        <div className="min-h-0 flex-1">{detail}</div>
      </div>
    </div>
  )
}
