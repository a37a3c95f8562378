import { useQuery } from '@tanstack/react-query'
import { Dialog, DialogClose } from '../parts/dialog.tsx'
import { useTranslation } from 'react-i18next'
import { readForbidden, setForbidden } from '@pendro/contract'
import { Button } from '../parts/buttons.tsx'
import { Checkbox } from '../parts/checkbox.tsx'
import { Failed } from '../parts/states.tsx'
import { call } from './api.ts'
import { useSession } from './session.ts'
import { queryKeyOf } from './query-keys.ts'
import { useAct } from './use-act.ts'

/** Which attachments seal a message, whatever any list says; stewards change it, everybody can read it. */
export function ForbiddenDialog({
  open,
  onOpenChange,
}: {
  open: boolean
  onOpenChange: (open: boolean) => void
}) {
  const { t } = useTranslation()
  const { staffer } = useSession()
  const { data, error } = useQuery({
    queryKey: queryKeyOf('forbidden'),
    enabled: open,
    queryFn: ({ signal }) => call(readForbidden, { signal }),
  })
  const forbidden = data?.forbidden ?? []
  type Kind = (typeof forbidden)[number]

  const changing = useAct({
    send: ({ kind, on }: { kind: Kind; on: boolean }) =>
      call(setForbidden, {
        body: { forbidden: on ? [...forbidden, kind] : forbidden.filter(one => one !== kind) },
      }),
    makes: 'forbidden-changed',
  })
  return (
    <Dialog
      open={open}
      onOpenChange={onOpenChange}
      title={t('forbidden.title')}
      text={t(staffer.role === 'steward' ? 'forbidden.text' : 'forbidden.readOnly')}
    >
      {error && !data && <Failed error={error} />}
      <ul className="mt-4 grid gap-2">
        {data?.possible.map(kind => (
          <li key={kind} className="flex items-center gap-3">
            <fieldset disabled={staffer.role !== 'steward'} className="contents">
              <Checkbox
                checked={forbidden.includes(kind)}
                label={t(`forbidden.kind.${kind}`)}
                onChange={on => changing.mutate({ kind, on })}
              />
            </fieldset>
            <span>{t(`forbidden.kind.${kind}`)}</span>
          </li>
        ))}
      </ul>
      <DialogClose asChild>
        <Button className="mt-5">{t('keys.close')}</Button>
      </DialogClose>
    </Dialog>
  )
}
