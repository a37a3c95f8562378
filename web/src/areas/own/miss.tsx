import { useState, type FormEvent } from 'react'
import { useMutation } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { askWhere } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { useNotices } from '../../app/notices.ts'
import { Button } from '../../parts/buttons.tsx'
import { useProblemText } from './own-session.ts'

const fields = ['from', 'about', 'when'] as const

/** What is not among the kept-back mail may be anywhere: the help desk is asked. */
export function Miss() {
  const { t } = useTranslation()
  const show = useNotices(state => state.show)
  const problemText = useProblemText()
  const [typed, setTyped] = useState({ from: '', about: '', when: '' })
  const asking = useMutation({
    mutationFn: () => call(askWhere, { body: typed }),
    onSuccess: () => {
      setTyped({ from: '', about: '', when: '' })
      show({ tone: 'done', text: t('own.miss.sent') })
    },
    onError: error => show({ tone: 'problem', text: problemText(error) }),
  })
  const submit = (event: FormEvent) => {
    event.preventDefault()
    asking.mutate()
  }
  return (
    <details className="mt-5 rounded-lg border border-line bg-sheet px-4 py-3">
      <summary className="cursor-pointer font-bold">{t('own.miss.title')}</summary>
      <form onSubmit={submit} className="mt-2 grid gap-3">
        <p className="text-ink-2">{t('own.miss.text')}</p>
        {fields.map(name => (
          <label key={name}>
            <span className="mb-1 block">{t(`own.miss.${name}`)}</span>
            <input
              required={name === 'from'}
              value={typed[name]}
              onChange={event => setTyped({ ...typed, [name]: event.target.value })}
              className="w-full rounded-md border border-line-strong bg-raised px-3 py-2"
            />
          </label>
        ))}
        <p>
          <Button kind="main" type="submit" disabled={asking.isPending}>
            {t('own.miss.send')}
          </Button>
        </p>
      </form>
    </details>
  )
}
