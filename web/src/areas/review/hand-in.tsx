import { queryKeyOf } from '../../app/query-keys.ts'
import { useState } from 'react'
import { useQueryClient } from '@tanstack/react-query'
import { FileUp } from 'lucide-react'
import { Dialog } from 'radix-ui'
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
    <Dialog.Root open={open} onOpenChange={setOpen}>
      <Dialog.Trigger className="ml-2 inline-flex items-center gap-1 text-[0.92rem] text-ink-2 underline decoration-line-strong underline-offset-3 hover:text-petrol">
        <FileUp aria-hidden className="size-3.5" /> {t('handIn.title')}
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/30" />
        <Dialog.Content className="fixed top-1/2 left-1/2 z-50 w-[min(480px,94vw)] -translate-x-1/2 -translate-y-1/2 rounded-lg border border-line-strong bg-sheet p-6">
          <Dialog.Title className="font-serif text-[1.2rem] font-semibold">{t('handIn.title')}</Dialog.Title>
          <Dialog.Description className="mt-1 text-ink-2">{t('handIn.text')}</Dialog.Description>
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
          <div className="mt-5 flex gap-3">
            <Button kind="main" disabled={busy || !file} onClick={() => void send('phishing')}>
              {t('handIn.phishing')}
            </Button>
            <Button disabled={busy || !file} onClick={() => void send('junk')}>
              {t('handIn.junk')}
            </Button>
            <Dialog.Close asChild>
              <Button className="ml-auto">{t('handIn.cancel')}</Button>
            </Dialog.Close>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
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
