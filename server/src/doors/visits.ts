import type { SMTPServerSession } from 'smtp-server'
import type { DoorName, Traffic, Visitor } from '../traffic/traffic.ts'

/** An error whose code and text go to the client. */
export type Answer = Error & { readonly responseCode?: number }

/** Who comes by a door and what they are told, noted for the page of the doors. */
export interface Visits {
  readonly come: (session: SMTPServerSession) => void
  readonly gone: (session: object) => void
  /** The library's callback, with what it says noted. */
  readonly saying: (
    session: SMTPServerSession,
    callback: (error?: Error | null) => void,
  ) => (refused: Error | null) => void
  /** Tells the client what came of its message, and notes it. `refuse`: what they are told of what failed. */
  readonly settle: (
    session: SMTPServerSession,
    message: Promise<string>,
    refuse: (error: Answer) => Answer | Promise<Answer>,
    callback: (error: Error | null, text?: string) => void,
  ) => void
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
    settle: (session, message, refuse, callback) => {
      message.then(
        text => {
          visitors.get(session)?.took()
          traffic?.count(door, 'taken')
          callback(null, text)
        },
        async (error: Answer) => {
          const refused = await refuse(error)
          visitors.get(session)?.told(refused.message)
          const isFinal = (refused.responseCode ?? 451) >= 500
          traffic?.count(door, isFinal ? 'refused' : 'later', refused.message)
          callback(refused)
        },
      )
    },
  }
}

/** The protocol of the connection; '' for none. */
const tlsOf = ({ secure, tlsOptions }: SMTPServerSession): string =>
  secure ? ((tlsOptions as { version?: string } | undefined)?.version ?? 'TLS') : ''
