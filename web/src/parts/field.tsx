import { useId, type ComponentProps, type ReactNode } from 'react'

/** What an input needs to belong to its label, its help and what is wrong with it. */
interface InputParts {
  readonly id: string
  readonly 'aria-describedby': string | undefined
  readonly 'aria-invalid': true | undefined
}

interface FieldProps {
  readonly label: string
  readonly help?: string | undefined
  /** What is wrong with what was typed, as a sentence; '' or absent for nothing. */
  readonly problem?: string | undefined
  readonly className?: string | undefined
  readonly children: (input: InputParts) => ReactNode
}

export const inputStyle =
  'w-full rounded-md border border-line-strong bg-raised px-3 py-2 disabled:border-line disabled:bg-transparent disabled:text-ink-2 aria-invalid:border-stop'

/** A label with its input, what helps to fill it in, and what is wrong with it. */
export function Field({ label, help, problem = '', className, children }: FieldProps) {
  const id = useId()
  const described = [
    ...(help === undefined ? [] : [`${id}-help`]),
    ...(problem === '' ? [] : [`${id}-problem`]),
  ]
  return (
    <div className={className}>
      <label htmlFor={id} className="mb-1 block font-semibold">
        {label}
      </label>
      {children({
        id,
        'aria-describedby': described.length > 0 ? described.join(' ') : undefined,
        'aria-invalid': problem === '' ? undefined : true,
      })}
      {problem !== '' && (
        <p id={`${id}-problem`} role="alert" className="mt-1 text-[0.92rem] text-stop">
          {problem}
        </p>
      )}
      {help !== undefined && (
        <p id={`${id}-help`} className="mt-1 text-[0.92rem] text-ink-2">
          {help}
        </p>
      )}
    </div>
  )
}

type Labelled = Pick<FieldProps, 'label' | 'help' | 'problem' | 'className'>

/** A label with one line to type in, or another input of the browser; what it takes goes to the input. */
export function TextField({
  label,
  help,
  problem,
  className,
  look = inputStyle,
  ...rest
}: Labelled & Omit<ComponentProps<'input'>, keyof Labelled> & { look?: string }) {
  return (
    <Field label={label} help={help} problem={problem} className={className}>
      {input => <input {...input} {...rest} className={look} />}
    </Field>
  )
}

/** What the server said of a whole form. */
export function FormProblem({ children, className = '' }: { children: ReactNode; className?: string }) {
  return (
    <div
      role="alert"
      className={`rounded-md border border-stop/40 bg-amber-tint px-3 py-2 text-stop ${className}`}
    >
      {children}
    </div>
  )
}
