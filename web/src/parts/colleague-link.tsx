import { Link } from 'react-router'

/** A colleague's name, or whatever names their mailbox, leading to everything about it. */
export function ColleagueLink({ id, name, mono = false }: { id: number; name: string; mono?: boolean }) {
  return (
    <Link
      to={`/mailboxes/${id}`}
      className={`border-b border-line-strong text-ink hover:border-current ${mono ? 'font-mono' : ''}`}
    >
      {name}
    </Link>
  )
}
