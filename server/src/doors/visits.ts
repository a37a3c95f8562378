import type { SMTPServerSession } from 'smtp-server'
import type { DoorName, Traffic, Visitor } from '../traffic/traffic.ts'

type Answer = Error & { readonly responseCode?: number }

/** Who comes by a door and what they are told, noted for the page of the doors. */
export interface Visits {
  readonly come: (session: SMTPServerSession) => void
  readonly gone: (session: object) => void
  /** The library's callback, with what it says noted. */
  readonly saying: (
    session: SMTPServerSession,
    callback: (error?: Error | null) => void,
  ) => (refused: Error | null) => void
  /** A message was taken, or was not. */
  readonly took: (session: SMTPServerSession) => void
  readonly tookNot: (session: SMTPServerSession, refused: Answer) => void
}

export function createVisits(door: DoorName, traffic: Traffic | undefined): Visits {
  const visitors = new WeakMap<object, Visitor>()
  const know = (session: SMTPServerSession) =>
    visitors.get(session)?.know({ helo: session.hostNameAppearsAs || '', tls: tlsOf(session) })
  return {
    come: session => {
      const visitor = traffic?.come(door, session.remoteAddress)
      if (visitor) visitors.set(session, visitor)
    },
    gone: session => visitors.get(session)?.gone(),
    saying: (session, callback) => refused => {
      know(session)
      if (refused) visitors.get(session)?.told(refused.message)
      callback(refused)
    },
    took: session => {
      visitors.get(session)?.took()
      traffic?.count(door, 'taken')
    },
    tookNot: (session, refused) => {
      visitors.get(session)?.told(refused.message)
      traffic?.count(door, (refused.responseCode ?? 451) >= 500 ? 'refused' : 'later', refused.message)
    },
  }
}

/** The protocol of the connection; '' for none. */
const tlsOf = ({ secure, tlsOptions }: SMTPServerSession): string =>
  secure ? ((tlsOptions as { version?: string } | undefined)?.version ?? 'TLS') : ''
