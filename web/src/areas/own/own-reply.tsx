import { useState, type FormEvent } from 'react'
import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { automaticReply, readOwnReply, setOwnReply, type AutomaticReplyShape } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { Button } from '../../parts/buttons.tsx'
import { Field, inputStyle } from '../../parts/field.tsx'
import { withText } from '../../parts/reply-texts.ts'
import { useOwnAct } from './use-own-act.ts'

/** What the colleague's mailbox answers by itself; here in their own language, others are kept as they are. */
export function OwnReply() {
  const { data } = useQuery({
    queryKey: queryKeyOf('own', 'reply'),
    queryFn: ({ signal }) => call(readOwnReply, { signal }),
  })
  return data ? <Form key={JSON.stringify(data)} saved={data.reply} language={data.language} /> : null
}

interface FormProps {
  readonly saved: AutomaticReplyShape
  readonly language: 'en' | 'nb' | 'de' | 'pl'
}

const whens = ['off', 'away', 'always'] as const

function Form({ saved, language }: FormProps) {
  const { t } = useTranslation()
  const [reply, setReply] = useState(saved)
  const saving = useOwnAct({
    send: (to: AutomaticReplyShape) =>
      call(setOwnReply, { body: { was: saved, to, token: crypto.randomUUID() } }),
    notice: (_, to) => ({ text: t(to.when === 'off' ? 'own.reply.savedOff' : 'own.reply.saved') }),
    makes: 'own-changed',
  })
  const textOf = (whom: 'inside' | 'outside') =>
    reply[whom].find(one => one.language === language)?.text ?? ''
  const isWhole =
    automaticReply.safeParse(reply).success &&
    (reply.when === 'off' || reply.inside.length + reply.outside.length > 0)
  const submit = (event: FormEvent) => {
    event.preventDefault()
    saving.mutate(reply)
  }
  return (
    <section className="mt-6">
      <h2 className="font-serif text-[1.15rem] font-semibold">{t('own.reply.title')}</h2>
      <p className="mt-1 text-ink-2">{t('own.reply.text', { count: reply.days })}</p>
      <form onSubmit={submit} className="mt-3 grid gap-3 rounded-lg border border-line bg-sheet p-4">
        <When when={reply.when} onPick={when => setReply({ ...reply, when })} />
        {(['inside', 'outside'] as const).map(whom => (
          <Field key={whom} label={t(`own.reply.to.${whom}`)}>
            {input => (
              <textarea
                {...input}
                rows={3}
                maxLength={5000}
                value={textOf(whom)}
                onChange={({ target }) =>
                  setReply(
                    withText(reply, whom, {
                      language,
                      subject: subjectOf(reply, whom, language),
                      text: target.value,
                    }),
                  )
                }
                className={inputStyle}
              />
            )}
          </Field>
        ))}
        {reply.when !== 'off' && !isWhole && <p className="text-ink-2">{t('own.reply.noText')}</p>}
        <p>
          <Button
            type="submit"
            kind="main"
            disabled={saving.isPending || !isWhole || JSON.stringify(reply) === JSON.stringify(saved)}
          >
            {t('own.reply.save')}
          </Button>
        </p>
      </form>
    </section>
  )
}

function When({
  when: chosen,
  onPick,
}: {
  when: AutomaticReplyShape['when']
  onPick: (when: AutomaticReplyShape['when']) => void
}) {
  const { t } = useTranslation()
  return (
    <fieldset className="flex flex-wrap gap-x-5 gap-y-2">
      <legend className="mb-1 font-semibold">{t('own.reply.when')}</legend>
      {whens.map(when => (
        <label key={when} className="inline-flex min-h-8 items-center gap-2">
          <input
            type="radio"
            name="when"
            checked={chosen === when}
            onChange={() => onPick(when)}
            className="size-4 accent-petrol"
          />
          {t(`own.reply.is.${when}`)}
        </label>
      ))}
    </fieldset>
  )
}

/** A subject the help desk has set stays with its text, and goes with it. */
const subjectOf = (reply: AutomaticReplyShape, whom: 'inside' | 'outside', language: string): string =>
  reply[whom].find(one => one.language === language)?.subject ?? ''
