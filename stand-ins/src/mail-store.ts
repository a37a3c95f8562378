import type { Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import express from 'express'
import { decodeWords } from '@pendro/core/address'
import { SMTPServer } from 'smtp-server'
import { z } from 'zod'

/** What the store does with the next messages: take them, be away (421), or refuse for good (550). */
export type StoreMood = 'up' | 'down' | 'refusing'

export interface StoredMessage {
  readonly mailbox: string
  readonly folder: string
  readonly delivery: string
  readonly subject: string
  readonly arrivedAt: string
  readonly raw: string
}

export interface MailStore {
  readonly smtpPort: number
  readonly httpPort: number
  readonly stop: () => Promise<void>
}

const folders: Readonly<Record<string, string>> = { inbox: 'inbox', aside: 'set aside', junk: 'junk' }

/**
 * A small mail store: takes messages by SMTP, keeps a few folders a mailbox in memory, and shows them by
 * HTTP for tests and the demo (`GET /messages?mailbox=`, `GET|PUT /mood`). A copy whose Pendro-Delivery
 * it has is taken and dropped, as a store with duplicate suppression (RFC 7352) does.
 */
export async function startMailStore({ smtpPort = 0, httpPort = 0, keep = 5000 } = {}): Promise<MailStore> {
  const messages: StoredMessage[] = []
  const known = new Set<string>()
  let mood: StoreMood = 'up'

  const smtp = new SMTPServer({
    banner: 'Stand-in mail store',
    disabledCommands: ['AUTH', 'STARTTLS'],
    disableReverseLookup: true,
    logger: false,
    onMailFrom(_address, _session, callback) {
      if (mood === 'down')
        callback(Object.assign(new Error('4.3.2 The store is away'), { responseCode: 421 }))
      else if (mood === 'refusing')
        callback(Object.assign(new Error('5.2.1 This mailbox takes no mail'), { responseCode: 550 }))
      else callback()
    },
    onData(stream, session, callback) {
      const chunks: Buffer[] = []
      stream.on('data', (chunk: Buffer) => chunks.push(chunk))
      stream.on('end', () => {
        const raw = Buffer.concat(chunks).toString('utf8')
        for (const { address } of session.envelope.rcptTo) keepMessage(address, raw)
        callback(null, '2.0.0 Stored')
      })
    },
  })

  function keepMessage(mailbox: string, raw: string): void {
    const header = (name: string) =>
      new RegExp(`^${name}:\\s*(.*)$`, 'im').exec(raw.split(/\r?\n\r?\n/, 1)[0] ?? '')?.[1]?.trim() ?? ''
    const delivery = header('Pendro-Delivery')
    const key = `${mailbox} ${delivery}`
    if (delivery !== '' && known.has(key)) return
    known.add(key)
    messages.push({
      mailbox,
      folder: decodeWords(header('Pendro-Folder')) || (folders[header('Pendro-Place')] ?? 'inbox'),
      delivery,
      subject: header('Subject'),
      arrivedAt: new Date().toISOString(),
      raw,
    })
    if (messages.length > keep) messages.shift()
  }

  const app = express()
  app.use(express.json())
  app.get('/messages', (req, res) => {
    const mailbox = z.string().optional().parse(req.query.mailbox)
    res.json(messages.filter(m => mailbox === undefined || m.mailbox === mailbox))
  })
  app.get('/mood', (_req, res) => void res.json({ mood }))
  app.put('/mood', (req, res) => {
    const parsed = z.object({ mood: z.enum(['up', 'down', 'refusing']) }).safeParse(req.body)
    if (!parsed.success) return void res.status(400).json({ text: 'mood is up, down or refusing' })
    mood = parsed.data.mood
    res.json({ mood })
  })

  const smtpServer = await new Promise<ReturnType<typeof smtp.listen>>((resolve, reject) => {
    smtp.on('error', reject)
    const server = smtp.listen(smtpPort, '127.0.0.1', () => resolve(server))
  })
  const http = await new Promise<Server>((resolve, reject) => {
    const server = app.listen(httpPort, '127.0.0.1', error => (error ? reject(error) : resolve(server)))
  })
  return {
    smtpPort: (smtpServer.address() as AddressInfo).port,
    httpPort: (http.address() as AddressInfo).port,
    stop: async () => {
      http.closeAllConnections()
      await Promise.all([
        new Promise(resolve => smtp.close(() => resolve(null))),
        new Promise(resolve => http.close(resolve)),
      ])
    },
  }
}
