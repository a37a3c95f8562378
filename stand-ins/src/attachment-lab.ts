import { randomUUID } from 'node:crypto'
import type { Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import express from 'express'

export type LabVerdict = 'waiting' | 'clean' | 'harmful' | 'unknown'

export interface AttachmentLab {
  readonly port: number
  readonly stop: () => Promise<void>
}

/** Made-up bytes that this lab calls harmful; they do nothing. */
export const harmMark = 'PENDRO-DEMO-HARM'

/**
 * A small attachment lab: takes bytes (`POST /inspections`), answers with a ticket, and gives its verdict
 * after a while (`GET /inspections/TICKET`). Harmful is what holds `harmMark`; locked archives it can't tell.
 */
export async function startAttachmentLab({ port = 0, delay = 4000 } = {}): Promise<AttachmentLab> {
  const tickets = new Map<string, { verdict: LabVerdict; readyAt: number }>()
  const app = express()
  app.post('/inspections', express.raw({ type: () => true, limit: '40mb' }), (req, res) => {
    const content = Buffer.isBuffer(req.body) ? req.body : Buffer.alloc(0)
    const ticket = randomUUID()
    tickets.set(ticket, { verdict: verdictOf(content), readyAt: Date.now() + delay })
    res.status(202).json({ ticket })
  })
  app.get('/inspections/:ticket', (req, res) => {
    const found = tickets.get(req.params.ticket)
    if (!found) return void res.status(404).json({ text: 'no such ticket' })
    res.json({ verdict: Date.now() < found.readyAt ? 'waiting' : found.verdict })
  })
  const server = await new Promise<Server>((resolve, reject) => {
    const listening = app.listen(port, '127.0.0.1', error => (error ? reject(error) : resolve(listening)))
  })
  return {
    port: (server.address() as AddressInfo).port,
    stop: () => {
      server.closeAllConnections()
      return new Promise(resolve => server.close(() => resolve()))
    },
  }
}

function verdictOf(content: Buffer): LabVerdict {
  if (content.includes(harmMark)) return 'harmful'
  const isLockedZip =
    content.length > 7 && content[0] === 0x50 && content[1] === 0x4b && ((content[6] ?? 0) & 1) === 1
  return isLockedZip ? 'unknown' : 'clean'
}
