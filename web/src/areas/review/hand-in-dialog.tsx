import { useState } from 'react'
import { Dialog, DialogClose } from '../../parts/dialog.tsx'
import { useTranslation } from 'react-i18next'
import { handIn } from '@pendro/contract'
import { call, Problem, problemOf } from '../../app/api.ts'
import { useAct } from '../../app/use-act.ts'
import { Button } from '../../parts/buttons.tsx'
import { useRulings } from './use-rulings.ts'

const mostBytes = 10_000_000

type Verdict = 'junk' | 'phishing'

/** A message that got through, as a file: learned as junk or phishing. */
export function HandInDialog({
  open,
  onOpenChange,
}: {
  open: boolean
  onOpenChange: (open: boolean) => void
}) {
  const { t } = useTranslation()
  const [file, setFile] = useState<File | null>(null)
  const { undo } = useRulings()
  const handing = useAct({
    send: ({ file, verdict }: { file: File; verdict: Verdict }) => {
      if (file.size > mostBytes) throw new Problem('TOO_LARGE', t('handIn.tooLarge'), 413)
      return call(handIn, { query: { verdict }, body: file })
    },
    notice: ({ rulingId, subject }) => ({
      text: t('handIn.done', { subject }),
      action: { label: t('ruling.undo'), run: () => void undo(rulingId) },
    }),
    makes: 'handed-in',
    onDone: () => {
      onOpenChange(false)
      setFile(null)
    },
    quiet: true,
  })
  return (
    <Dialog open={open} onOpenChange={onOpenChange} title={t('handIn.title')} text={t('handIn.text')}>
      <label className="mt-4 block">
        <span className="mb-1 block font-semibold">{t('handIn.file')}</span>
        <input
          type="file"
          accept=".eml,message/rfc822"
          onChange={event => setFile(event.target.files?.[0] ?? null)}
        />
      </label>
      {handing.isError && (
        <p role="alert" className="mt-3 text-stop">
          {problemOf(handing.error).text}
        </p>
      )}
      <Verdicts
        disabled={handing.isPending || !file}
        onVerdict={verdict => file && handing.mutate({ file, verdict })}
      />
    </Dialog>
  )
}

interface VerdictsProps {
  readonly disabled: boolean
  readonly onVerdict: (verdict: Verdict) => void
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
