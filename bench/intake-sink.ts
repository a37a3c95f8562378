import { open } from 'node:fs/promises'
import { join } from 'node:path'
import type { AddressInfo } from 'node:net'
import { SMTPServer, type SMTPServerDataStream } from 'smtp-server'

// A server that keeps each message in a file of its own, on the disk before it answers; without a folder it keeps nothing.
const folder = process.env.SINK_FOLDER ?? ''
let n = 0

async function keep(stream: SMTPServerDataStream): Promise<void> {
  const chunks: Buffer[] = []
  for await (const chunk of stream as AsyncIterable<Buffer>) chunks.push(chunk)
  if (folder === '') return
  n += 1
  const file = await open(join(folder, `${n}.eml`), 'w')
  await file.writeFile(Buffer.concat(chunks))
  await file.sync()
  await file.close()
}

const server = new SMTPServer({
  disabledCommands: ['AUTH', 'STARTTLS'],
  disableReverseLookup: true,
  logger: false,
  maxClients: 200,
  onData: (stream, _session, callback) =>
    void keep(stream).then(
      () => callback(),
      (error: Error) => callback(error),
    ),
})
const listening = server.listen(0, '127.0.0.1', () =>
  process.send?.({ port: (listening.address() as AddressInfo).port }),
)
