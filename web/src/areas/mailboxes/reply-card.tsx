import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import {
  automaticReply,
  digestLanguages,
  type AutomaticReplyShape,
  type MailboxSheet,
} from '@pendro/contract'
import { mayWrite, useSession } from '../../app/session.ts'
import { useTimes } from '../../app/times.ts'
import { Button } from '../../parts/buttons.tsx'
import { Dialog } from '../../parts/dialog.tsx'
import { inputStyle } from '../../parts/field.tsx'
import { Sentence } from '../../parts/sentence.tsx'
import { withText, type Whom } from '../../parts/reply-texts.ts'
import { SentenceSlot } from '../../parts/sentence-slot.tsx'
import { ApplyBar } from '../../parts/apply-bar.tsx'
import { Card } from '../../parts/card.tsx'
import { ReplyPreview } from './reply-preview.tsx'
import { useChange } from './use-mailboxes.ts'

type Language = (typeof digestLanguages)[number]

/** What the mailbox answers by itself, and whom it has answered; changed in a dialog that shows the very message. */
export function ReplyCard({ sheet }: { sheet: MailboxSheet }) {
  const { t } = useTranslation()
  const times = useTimes()
  const session = useSession()
  const [open, setOpen] = useState(false)
  const { reply, answered, mailbox } = sheet
  const hasTexts = reply.inside.length + reply.outside.length > 0
  return (
    <Card
      title={t('mailboxes.reply.title')}
      more={
        mayWrite(session) && (
          <Button kind="link" onClick={() => setOpen(true)}>
            {t(hasTexts ? 'mailboxes.reply.change' : 'mailboxes.reply.write')}
          </Button>
        )
      }
    >
      <p className={reply.when === 'off' ? 'text-ink-2' : ''}>
        <Sentence text={t(`mailboxes.reply.is.${reply.when}`, { count: reply.days })} />
      </p>
      {hasTexts && (
        <p className="mt-1 line-clamp-2 text-ink-2">“{(reply.outside[0] ?? reply.inside[0])?.text}”</p>
      )}
      {reply.when !== 'off' && reply.outside.length === 0 && (
        <p className="mt-1 text-ink-2">{t('mailboxes.reply.noOthers')}</p>
      )}
      {answered.length > 0 && (
        <>
          <h4 className="mt-3 font-bold text-ink-2">{t('mailboxes.reply.answered')}</h4>
          <ul className="max-h-24 overflow-y-auto">
            {answered.map(({ address, at }) => (
              <li key={address} className="flex justify-between gap-3">
                <span className="truncate font-mono text-[0.94em]">{address}</span>
                <span className="shrink-0 text-ink-2">{times.short(at)}</span>
              </li>
            ))}
          </ul>
        </>
      )}
      <Dialog
        open={open}
        onOpenChange={setOpen}
        title={t('mailboxes.reply.dialog', { name: mailbox.name })}
        text={t('mailboxes.reply.text')}
      >
        <Editor sheet={sheet} onDone={() => setOpen(false)} />
      </Dialog>
    </Card>
  )
}

function Editor({ sheet, onDone }: { sheet: MailboxSheet; onDone: () => void }) {
  const [reply, setReply] = useState<AutomaticReplyShape>(sheet.reply)
  const [language, setLanguage] = useState<Language>(languageOf(sheet))
  const changing = useChange(sheet, onDone)
  const isWhole =
    automaticReply.safeParse(reply).success &&
    (reply.when === 'off' || reply.inside.length + reply.outside.length > 0)
  const isChanged = JSON.stringify(reply) !== JSON.stringify(sheet.reply)
  return (
    <div className="max-h-[70vh] overflow-y-auto pr-1">
      <When reply={reply} language={language} onReply={setReply} onLanguage={setLanguage} />
      {(['outside', 'inside'] as const).map(whom => (
        <Text
          key={whom}
          whom={whom}
          said={reply[whom].find(one => one.language === language)}
          onChange={(subject, text) => setReply(withText(reply, whom, { language, subject, text }))}
        />
      ))}
      <ReplyPreview mailboxId={sheet.mailbox.id} reply={reply} language={language} />
      <ApplyBar
        disabled={!isWhole || !isChanged || changing.isPending}
        onApply={reason =>
          changing.mutate({ change: { what: 'reply', was: sheet.reply, to: reply }, reason })
        }
        onCancel={onDone}
      />
    </div>
  )
}

const languageOf = ({ mailbox }: MailboxSheet): Language =>
  digestLanguages.find(one => one === mailbox.language) ?? 'en'

interface WhenProps {
  readonly reply: AutomaticReplyShape
  readonly language: Language
  readonly onReply: (reply: AutomaticReplyShape) => void
  readonly onLanguage: (language: Language) => void
}

function When({ reply, language, onReply, onLanguage }: WhenProps) {
  const { t } = useTranslation()
  const written = new Set([...reply.inside, ...reply.outside].map(one => one.language))
  return (
    <p className="mt-3 leading-9">
      <Sentence
        text={t('mailboxes.reply.sentence')}
        slots={{
          when: (
            <SentenceSlot
              label={t('mailboxes.reply.whenLabel')}
              text={t(`mailboxes.reply.when.${reply.when}`)}
              value={reply.when}
              options={(['away', 'always', 'off'] as const).map(value => ({
                value,
                text: t(`mailboxes.reply.when.${value}`),
              }))}
              onPick={when => onReply({ ...reply, when })}
            />
          ),
          days: (
            <SentenceSlot
              label={t('mailboxes.reply.daysLabel')}
              text={t('mailboxes.reply.days', { count: reply.days })}
              value={String(reply.days)}
              options={[1, 3, 7, 14, 30].map(days => ({
                value: String(days),
                text: t('mailboxes.reply.days', { count: days }),
              }))}
              onPick={days => onReply({ ...reply, days: Number(days) })}
            />
          ),
          language: (
            <SentenceSlot
              label={t('mailboxes.reply.languageLabel')}
              text={t(`mailboxes.reply.language.${language}`)}
              value={language}
              options={digestLanguages.map(value => ({
                value,
                text: t(`mailboxes.reply.language.${value}`),
                ...(written.has(value) ? { hint: t('mailboxes.reply.written') } : {}),
              }))}
              onPick={onLanguage}
            />
          ),
        }}
      />
    </p>
  )
}

interface TextProps {
  readonly whom: Whom
  readonly said: AutomaticReplyShape['inside'][number] | undefined
  readonly onChange: (subject: string, text: string) => void
}

function Text({ whom, said, onChange }: TextProps) {
  const { t } = useTranslation()
  const { subject = '', text = '' } = said ?? {}
  return (
    <fieldset className="mt-3 grid gap-2">
      <legend className="mb-1 font-semibold">{t(`mailboxes.reply.to.${whom}`)}</legend>
      <input
        value={subject}
        maxLength={200}
        aria-label={t('mailboxes.reply.subject', { whom: t(`mailboxes.reply.to.${whom}`) })}
        placeholder={t('mailboxes.reply.usualSubject')}
        onChange={({ target }) => onChange(target.value, text)}
        className={inputStyle}
      />
      <textarea
        value={text}
        rows={3}
        maxLength={5000}
        aria-label={t('mailboxes.reply.words', { whom: t(`mailboxes.reply.to.${whom}`) })}
        onChange={({ target }) => onChange(subject, target.value)}
        className={inputStyle}
      />
    </fieldset>
  )
}
