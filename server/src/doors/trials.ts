import type { z } from 'zod'
import { createTransport } from 'nodemailer'
import type { DeliveryState, sendTrial, watchTrial } from '@pendro/contract'
import { adviceFor } from '@pendro/core/doors'
import { harmlessLine } from '@pendro/core/text'
import { findRow, type Database } from '../db/database.ts'
import { findMailboxRow, readOrganisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { hashMessageId } from '../judging/knowledge.ts'
import { ownDomain } from '../outbox/own-mail.ts'
import { translator } from '../wording.ts'

/** Where a trial goes in: the door for everybody's mail. */
interface Entrance {
  readonly host: string
  readonly port: number
}

const messageIdOf = (token: string, domain: string) => `<trial-${token}@${domain}>`

/** Sends a message through the door, as a stranger would. What the door says is told, whatever it is. */
export async function sendThrough(
  db: Database,
  { host, port }: Entrance,
  { mailbox, token }: { readonly mailbox: number; readonly token: string },
  now: () => Date,
): Promise<z.input<typeof sendTrial.response>> {
  const row = await findMailboxRow(db, mailbox)
  if (!row || row.closed_at !== null) throw new AppError('MAILBOX_NOT_FOUND')
  const organisation = await readOrganisation(db)
  const t = translator(row.language)
  const at = now()
  const transport = createTransport({
    host,
    port,
    name: 'trial.example',
    // Where TLS is asked for it is begun; whose certificate it is need not be asked on the way to oneself.
    tls: { rejectUnauthorized: false },
    connectionTimeout: 4000,
    greetingTimeout: 4000,
    socketTimeout: 20_000,
  })
  const from = 'trial@trial.example'
  try {
    const { response } = await transport.sendMail({
      envelope: { from, to: [row.address] },
      from: { name: t('trial.from'), address: from },
      to: row.address,
      subject: t('trial.subject'),
      text: t('trial.text'),
      date: at,
      messageId: messageIdOf(token, ownDomain(organisation)),
    })
    return { taken: true, answer: harmlessLine(response), advice: null, steps: steps(at, now()) }
  } catch (error) {
    const { response, message } = error as Error & { response?: string }
    const answer = harmlessLine(response ?? message).slice(0, 500)
    return { taken: false, answer, advice: adviceFor(answer), steps: steps(at, now()) }
  } finally {
    transport.close()
  }
}

const steps = (began: Date, ended: Date) => [
  { step: 'connected' as const, at: began.toISOString() },
  { step: 'answered' as const, at: ended.toISOString() },
]

/** How far a trial has come; `stored` is `null` before it is taken in, and for a number that is none. */
export async function watch(db: Database, token: string): Promise<z.input<typeof watchTrial.response>> {
  const organisation = await readOrganisation(db)
  const row = await findRow<{
    received_at: Date
    id: number
    state: DeliveryState
    score: number
    landed_at: Date | null
    problem: string | null
  }>(
    db,
    `SELECT m.received_at, d.id, d.state, d.score, d.landed_at, o.problem
     FROM messages m JOIN deliveries d ON d.message_id = m.id
     LEFT JOIN outbox o ON o.kind = 'delivery' AND o.subject_id = d.id
     WHERE m.message_id_hash = :hash AND m.direction = 'in' ORDER BY o.id DESC LIMIT 1`,
    { hash: hashMessageId(messageIdOf(token, ownDomain(organisation))) },
  )
  if (!row) return { stored: null }
  const problem = row.problem ?? ''
  return {
    stored: {
      at: row.received_at.toISOString(),
      delivery: row.id,
      state: row.state,
      score: row.score,
      landedAt: row.landed_at?.toISOString() ?? null,
      problem,
      advice: problem === '' ? null : adviceFor(problem),
    },
  }
}
