import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import { Button } from '../../../parts/buttons.tsx'
import { Card } from '../../../parts/card.tsx'
import { useDoors } from '../doors/use-doors.ts'
import { useSettings } from '../use-settings.ts'

type Kind = 'gateway' | 'relay' | 'filter'

/** Lines for whoever runs the mail servers around, with the names and ports of this installation. */
export function Snippets({ of }: { of: readonly Kind[] }) {
  const { t } = useTranslation()
  const settings = useSettings()
  const doors = useDoors()
  const host = window.location.hostname
  const portOf = (name: string) => doors.data?.doors.find(door => door.name === name)?.port ?? null
  const domains = settings.data?.['own-domains'] ?? []
  const incoming = portOf('incoming') ?? 25
  const texts: Readonly<Record<Kind, string>> = {
    gateway: domains.map(domain => `${domain}  smtp:[${host}]:${incoming}`).join('\n'),
    relay: `[${host}]:${portOf('submission') ?? 587}`,
    filter: `smtp:[${host}]:${incoming}`,
  }
  return (
    <Card title={t('steps.snippet.title')}>
      {of.map(kind => (
        <Snippet key={kind} label={t(`steps.snippet.${kind}`)} text={texts[kind]} />
      ))}
    </Card>
  )
}

function Snippet({ label, text }: { label: string; text: string }) {
  const { t } = useTranslation()
  const [copied, setCopied] = useState(false)
  const copy = async () => {
    await navigator.clipboard.writeText(text)
    setCopied(true)
  }
  return (
    <div className="mt-2 first:mt-0">
      <p>{label}</p>
      <div className="mt-1 flex items-start justify-between gap-3 rounded-md border border-line bg-raised px-3 py-2">
        <pre
          className="min-w-0 overflow-x-auto font-mono text-[0.92em]"
          tabIndex={0}
          role="region"
          aria-label={label}
        >
          {text}
        </pre>
        <Button kind="link" onClick={() => void copy()}>
          {t(copied ? 'steps.snippet.copied' : 'steps.snippet.copy')}
        </Button>
      </div>
    </div>
  )
}
