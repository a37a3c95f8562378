import type { AddressInfo } from 'node:net'
import { SMTPServer } from 'smtp-server'

export interface OutsideWorld {
  readonly port: number
  readonly stop: () => Promise<void>
}

/** Stands in for a smart host and everybody behind it: takes mail by SMTP and keeps nothing. */
export async function startOutsideWorld({ port = 0 } = {}): Promise<OutsideWorld> {
  const smtp = new SMTPServer({
    banner: 'Stand-in for the world outside',
    disabledCommands: ['AUTH', 'STARTTLS'],
    disableReverseLookup: true,
    logger: false,
    onData(stream, _session, callback) {
      stream.resume()
      stream.on('end', () => callback(null, '2.0.0 Taken'))
    },
  })
  const listening = await new Promise<ReturnType<typeof smtp.listen>>((resolve, reject) => {
    smtp.once('error', reject)
    const server = smtp.listen(port, '127.0.0.1', () => resolve(server))
  })
  return {
    port: (listening.address() as AddressInfo).port,
    stop: () => new Promise(resolve => smtp.close(() => resolve())),
  }
}
