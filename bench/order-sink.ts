import type { AddressInfo } from 'node:net'
import { SMTPServer, type SMTPServerDataStream, type SMTPServerSession } from 'smtp-server'

// A mail store that keeps nothing but what came last to each mailbox: whether all came once, and in their order.
const last = new Map<string, number>()
let [taken, disordered] = [0, 0]

/** The number of a delivery, of its first field. */
async function numberOf(stream: SMTPServerDataStream): Promise<number> {
  let head = ''
  for await (const chunk of stream as AsyncIterable<Buffer>)
    if (head.length < 100) head += chunk.toString('latin1')
  return Number(/^Pendro-Delivery: (\d+)\./.exec(head)?.[1] ?? 0)
}

async function take(stream: SMTPServerDataStream, { envelope }: SMTPServerSession): Promise<void> {
  const to = envelope.rcptTo[0]?.address ?? ''
  const id = await numberOf(stream)
  if (id <= (last.get(to) ?? 0)) disordered += 1
  last.set(to, id)
  taken += 1
}

const server = new SMTPServer({
  disabledCommands: ['AUTH', 'STARTTLS'],
  disableReverseLookup: true,
  logger: false,
  maxClients: 200,
  onData: (stream, session, callback) =>
    void take(stream, session).then(
      () => callback(),
      (error: Error) => callback(error),
    ),
})
const listening = server.listen(0, '127.0.0.1', () =>
  process.send?.({ port: (listening.address() as AddressInfo).port }),
)
process.on('message', () => process.send?.({ taken, disordered }))
