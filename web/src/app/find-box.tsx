import { lazy, Suspense, useState, type RefObject } from 'react'
import { useTranslation } from 'react-i18next'
import { useNavigate } from 'react-router'
import type { useActions } from './actions.ts'
import { findFrame, findInput, FindKey, reviewOf } from './find-face.tsx'

const FindField = lazy(() => import('./find-field.tsx').then(m => ({ default: m.FindField })))

type Props = { readonly input: RefObject<HTMLInputElement | null> } & Parameters<typeof useActions>[0]

/** The search in the bar. It comes with code of its own; what somebody types before it is there is not lost. */
export function FindBox({ input, ...rest }: Props) {
  const { t } = useTranslation()
  const navigate = useNavigate()
  const [begun, begin] = useState<string | null>(null)
  return (
    <Suspense
      fallback={
        <search className={findFrame}>
          <input
            ref={input}
            value={begun ?? ''}
            onFocus={() => begin(text => text ?? '')}
            onBlur={() => begin(null)}
            onChange={({ target }) => begin(target.value)}
            onKeyDown={({ key }) => {
              if (key !== 'Enter') return
              void navigate(reviewOf((begun ?? '').trim()))
              begin(null)
            }}
            aria-label={t('shell.find')}
            placeholder={t('shell.find')}
            className={findInput}
          />
          <FindKey />
        </search>
      }
    >
      <FindField input={input} begun={begun} {...rest} />
    </Suspense>
  )
}
