import { Check, Minus } from 'lucide-react'
import { Checkbox as Radix } from 'radix-ui'

export function Checkbox({
  checked,
  label,
  onChange,
}: {
  checked: boolean | 'indeterminate'
  label: string
  onChange: (checked: boolean) => void
}) {
  return (
    <Radix.Root
      checked={checked}
      aria-label={label}
      onCheckedChange={value => onChange(value === true)}
      className="grid size-4 shrink-0 place-items-center rounded-[3px] border border-line-strong bg-raised data-[state=checked]:border-petrol data-[state=checked]:bg-petrol data-[state=indeterminate]:border-petrol data-[state=indeterminate]:bg-petrol"
    >
      <Radix.Indicator className="text-on-petrol">
        {checked === 'indeterminate' ? (
          <Minus className="size-3" />
        ) : (
          <Check className="size-3" strokeWidth={3} />
        )}
      </Radix.Indicator>
    </Radix.Root>
  )
}
