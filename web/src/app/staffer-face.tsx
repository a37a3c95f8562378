import { useSession } from './session.ts'

/** How the button with a staffer’s name looks. */
export const faceStyle = 'flex items-center gap-2 rounded-md outline-brass'

const initials = (name: string) =>
  name
    .split(/\s+/)
    .map(part => part[0])
    .join('')
    .slice(0, 2)
    .toUpperCase()

/** Who is signed in, as the bar shows it. */
export function StafferFace() {
  const { staffer } = useSession()
  return (
    <>
      <span
        aria-hidden
        className="grid size-7 place-items-center rounded-full bg-brass text-[0.78rem] font-bold text-[#1E2A30]"
      >
        {initials(staffer.name)}
      </span>
      <span className="max-[1023px]:sr-only">{staffer.name}</span>
    </>
  )
}
