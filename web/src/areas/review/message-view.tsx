import { useState, type FormEvent } from 'react'
import { FileText, FileWarning, Paperclip } from 'lucide-react'
import type { TFunction } from 'i18next'
import { useTranslation } from 'react-i18next'
import { sayWhy, type DeliverySheet } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { Button } from '../../parts/buttons.tsx'
import { useNumbers } from '../../app/times.ts'
import { fileKind } from '../../parts/file-kind.ts'
import { useAct } from '../../app/use-act.ts'

/** The message in a frame in which nothing can run, load or lead anywhere. */
export function MessageView({ sheet }: { sheet: DeliverySheet }) {
  const { t } = useTranslation()
  const { id } = sheet.row
  const [form, setForm] = useState<'html' | 'text'>('html')
  const [headers, setHeaders] = useState(false)
  const [pictures, setPictures] = useState(false)
  const link = 'border-b border-current pb-px'
  return (
    <section aria-label={t('view.title')} className="flex flex-1 flex-col">
      <div className="flex flex-wrap items-center gap-x-5 gap-y-1 border-b border-line bg-amber-tint px-5 py-1 text-[0.95rem] text-amber">
        <span>{viewSummary(sheet, form === 'html' && pictures, t)}</span>
        <span className="ml-auto flex gap-4">
          {sheet.body?.hasHtml && (
            <button type="button" className={link} onClick={() => setForm(form === 'html' ? 'text' : 'html')}>
              {t(form === 'html' ? 'view.asText' : 'view.asHtml')}
            </button>
          )}
          {form === 'html' && (sheet.body?.remotePictures ?? 0) > 0 && (
            <button
              type="button"
              className={link}
              aria-pressed={pictures}
              onClick={() => setPictures(!pictures)}
            >
              {t(pictures ? 'view.hidePictures' : 'view.showPictures')}
            </button>
          )}
          <button type="button" className={link} aria-expanded={headers} onClick={() => setHeaders(!headers)}>
            {t(headers ? 'view.hideHeaders' : 'view.headers')}
          </button>
          {!sheet.asksWhy && <SaveLinks id={id} className={link} />}
        </span>
      </div>
      {headers && <Headers headers={sheet.headers} />}
      {sheet.body && sheet.body.hiddenText !== '' && (
        <p className="border-b border-line px-4 py-2 text-ink-2">
          <b>{t('view.hidden')}</b> {sheet.body.hiddenText.slice(0, 300)}
        </p>
      )}
      {sheet.attachments.length > 0 && <Attachments attachments={sheet.attachments} />}
      {sheet.asksWhy ? (
        <Why id={id} />
      ) : (
        <iframe
          title={t('view.title')}
          sandbox=""
          src={`/api/deliveries/${id}/view?as=${form}${pictures ? '&pictures=yes' : ''}`}
          className="block min-h-80 w-full flex-1 bg-white"
          style={{ height: heightOf(sheet.body, form, pictures) }}
          tabIndex={-1}
        />
      )}
    </section>
  )
}

/** The message, and a report about it, as files. */
function SaveLinks({ id, className }: { id: number; className: string }) {
  const { t } = useTranslation()
  return (
    <>
      <a className={className} href={`/api/deliveries/${id}/source`} download>
        {t('view.save')}
      </a>
      <a
        className={className}
        href={`/api/deliveries/${id}/feedback-report`}
        download
        title={t('view.reportHint')}
      >
        {t('view.report')}
      </a>
    </>
  )
}

/** A message in a colleague's own mailbox is opened with a reason. */
function Why({ id }: { id: number }) {
  const { t } = useTranslation()
  const [reason, setReason] = useState('')
  const saying = useAct({
    send: () => call(sayWhy, { params: { id }, body: { reason } }),
    makes: 'reading-allowed',
  })
  const submit = (event: FormEvent) => {
    event.preventDefault()
    saying.mutate()
  }
  return (
    <form onSubmit={submit} className="grid gap-2 px-4 py-4">
      <p>{t('view.why')}</p>
      <label>
        <span className="mb-1 block font-semibold">{t('view.whyLabel')}</span>
        <input
          required
          minLength={3}
          maxLength={500}
          value={reason}
          onChange={event => setReason(event.target.value)}
          placeholder={t('view.whyHint')}
          className="w-full max-w-xl rounded-md border border-line-strong bg-sheet px-3 py-1.5"
        />
      </label>
      <p>
        <Button kind="main" type="submit" disabled={saying.isPending}>
          {t('view.whyOpen')}
        </Button>
      </p>
    </form>
  )
}

const lineHeight = 22
const tallest = 24_000

/**
 * How tall the frame is. Nothing in it can be measured from here, so it is told by the lines of the text, with room for
 * what a layout adds: the pane scrolls, by the keys that read on, and not the frame in it.
 */
function heightOf(body: DeliverySheet['body'], form: 'html' | 'text', pictures: boolean): number {
  if (!body) return 400
  const spread = form === 'html' && body.hasHtml ? 1.35 : 1.05
  const shown = pictures ? 160 * Math.min(20, body.remotePictures) : 0
  return Math.min(tallest, Math.round(body.lines * lineHeight * spread) + 60 + shown)
}

function viewSummary({ body, unreadable }: DeliverySheet, pictures: boolean, t: TFunction): string {
  if (unreadable) return t('view.raw')
  if (!body) return t('view.gone')
  const parts = [body.linksDisarmed > 0 ? t('view.links', { count: body.linksDisarmed }) : t('view.noLinks')]
  const shown = pictures ? Math.min(body.remotePictures, body.picturesLeftOut) : 0
  if (shown > 0) parts.push(t('view.picturesShown', { count: shown }))
  if (body.picturesLeftOut > shown) parts.push(t('view.pictures', { count: body.picturesLeftOut - shown }))
  return `${t('view.safe')} ${parts.join(', ')}`
}

function Headers({ headers }: { headers: DeliverySheet['headers'] }) {
  return (
    <dl className="grid max-h-72 grid-cols-[minmax(6rem,auto)_minmax(0,1fr)] gap-x-4 gap-y-0.5 overflow-auto border-b border-line px-4 py-3 font-mono text-[0.88rem]">
      {headers.map(({ name, value }, i) => (
        <div key={i} className="contents">
          <dt className="text-ink-2">{name}</dt>
          <dd className="break-all">{value}</dd>
        </div>
      ))}
    </dl>
  )
}

function Attachments({ attachments }: { attachments: DeliverySheet['attachments'] }) {
  const { t } = useTranslation()
  const { size } = useNumbers()
  return (
    <ul className="max-h-32 overflow-y-auto border-b border-line bg-sheet px-5 py-1.5">
      {attachments.map((attachment, i) => {
        const Icon =
          attachment.danger || attachment.pretends
            ? FileWarning
            : attachment.trueType.startsWith('text/')
              ? FileText
              : Paperclip
        const [trueType, declared] = [attachment.trueType, attachment.declaredType].map(type =>
          fileKind(type, t),
        )
        return (
          <li key={i} className="flex gap-2 py-0.5">
            <Icon
              aria-hidden
              className={`mt-1 size-4 shrink-0 ${attachment.danger ? 'text-stop' : attachment.pretends ? 'text-amber' : 'text-ink-2'}`}
            />
            <div className="min-w-0 flex-1">
              <div className="flex flex-wrap items-baseline gap-x-2">
                <span className="font-semibold [overflow-wrap:anywhere]">
                  {attachment.name || t('view.unnamed')}
                </span>
                {attachment.danger && <b className="text-stop">{t(`view.danger.${attachment.danger}`)}</b>}
                <span className="text-ink-2" title={attachment.trueType}>
                  {attachment.pretends
                    ? t(`view.pretends.${attachment.pretends}`, { trueType, declared })
                    : trueType}{' '}
                  · {size(attachment.size)}
                </span>
                {attachment.note !== '' && (
                  <span className="[overflow-wrap:anywhere] text-ink-2">{attachment.note}</span>
                )}
              </div>
              {attachment.words !== '' && (
                <details className="mt-1 mb-1">
                  <summary className="cursor-pointer text-petrol">{t('view.words')}</summary>
                  <pre className="mt-1 max-h-60 overflow-auto border-l-2 border-line-strong pl-3 font-sans whitespace-pre-wrap">
                    {attachment.words}
                  </pre>
                </details>
              )}
            </div>
          </li>
        )
      })}
    </ul>
  )
}
