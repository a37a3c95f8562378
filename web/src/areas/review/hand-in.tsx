import { queryKeyOf } from '../../app/query-keys.ts'
import { useState } from 'react'
import { useQueryClient } from '@tanstack/react-query'
import { FileUp } from 'lucide-react'
import { Dialog, DialogClose, DialogTrigger } from '../../parts/dialog.tsx'
import { useTranslation } from 'react-i18next'
import { handIn } from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { useNotices } from '../../app/notices.ts'
import { Button } from '../../parts/buttons.tsx'
import { useRulings } from './use-rulings.ts'

const mostBytes = 10_000_000

/** A message that got through, as a file: learned as junk or phishing. */
export function HandIn() {
  const { t } = useTranslation()
  const [open, setOpen] = useState(false)
  const [file, setFile] = useState<File | null>(null)
  const [busy, setBusy] = useState(false)
  const [problem, setProblem] = useState('')
  const show = useNotices(state => state.show)
  const client = useQueryClient()
  const { undo } = useRulings()

  const send = async (verdict: 'junk' | 'phishing') => {
    if (!file) return
    if (file.size > mostBytes) return setProblem(t('handIn.tooLarge'))
    setBusy(true)
    setProblem('')
    try {
      const { rulingId, subject } = await call(handIn, { body: { source: await base64Of(file), verdict } })
      show({
        tone: 'done',
        text: t('handIn.done', { subject }),
        action: { label: t('ruling.undo'), run: () => void undo(rulingId) },
      })
      void client.invalidateQueries({ queryKey: queryKeyOf('record') })
      setOpen(false)
      setFile(null)
    } catch (error) {
      setProblem(problemOf(error).text)
    } finally {
      setBusy(false)
    }
  }
  return (
    <Dialog
      open={open}
      onOpenChange={setOpen}
      title={t('handIn.title')}
      text={t('handIn.text')}
      trigger={
        <DialogTrigger className="ml-2 inline-flex items-center gap-1 text-[0.92rem] text-ink-2 underline decoration-line-strong underline-offset-3 hover:text-petrol">
          <FileUp aria-hidden className="size-3.5" /> {t('handIn.title')}
        </DialogTrigger>
      }
    >
      <label className="mt-4 block">
        <span className="mb-1 block font-semibold">{t('handIn.file')}</span>
        <input
          type="file"
          accept=".eml,message/rfc822"
          onChange={event => setFile(event.target.files?.[0] ?? null)}
        />
      </label>
      {problem !== '' && (
        <p role="alert" className="mt-3 text-stop">
          {problem}
        </p>
      )}
      <Verdicts disabled={busy || !file} onVerdict={verdict => void send(verdict)} />
    </Dialog>
  )
}

interface VerdictsProps {
  readonly disabled: boolean
  readonly onVerdict: (verdict: 'junk' | 'phishing') => void
}

function Verdicts({ disabled, onVerdict }: VerdictsProps) {
  const { t } = useTranslation()
  return (
    <div className="mt-5 flex gap-3">
      <Button kind="main" disabled={disabled} onClick={() => onVerdict('phishing')}>
        {t('handIn.phishing')}
      </Button>
      <Button disabled={disabled} onClick={() => onVerdict('junk')}>
        {t('handIn.junk')}
      </Button>
      <DialogClose asChild>
        <Button className="ml-auto">{t('handIn.cancel')}</Button>
      </DialogClose>
    </div>
  )
}

async function base64Of(file: File): Promise<string> {
  const bytes = new Uint8Array(await file.arrayBuffer())
  let text = ''
  // In parts: one call with all bytes would have too many arguments.
  for (let at = 0; at < bytes.length; at += 30_000)
    text += String.fromCharCode(...bytes.subarray(at, at + 30_000))
  return btoa(text)
}
