import type { Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import express from 'express'

export interface UnsubscribeHost {
  readonly port: number
  /** What was asked for, in order. */
  readonly requests: readonly {
    readonly host: string
    readonly path: string
    readonly method: string
    readonly body: string
    readonly headers: Readonly<Record<string, unknown>>
  }[]
  readonly stop: () => Promise<void>
}

/**
 * Any sender's web host that takes one-click requests (RFC 8058 §3.2). `/refuses` answers with an error;
 * `/elsewhere` with a redirect, which must not be followed.
 */
export async function startUnsubscribeHost({ port = 0 } = {}): Promise<UnsubscribeHost> {
  const requests: UnsubscribeHost['requests'][number][] = []
  const app = express()
  app.use(express.text({ type: () => true }))
  app.use((req, _res, next) => {
    const { method, path, headers } = req
    const body = typeof req.body === 'string' ? req.body : ''
    requests.push({ host: headers.host ?? '', path, method, body, headers: { ...headers } })
    if (requests.length > 500) requests.shift()
    next()
  })
  app.post('/refuses', (_req, res) => void res.status(500).end())
  app.post('/elsewhere', (_req, res) => void res.redirect('/taken'))
  app.post('/{*rest}', (_req, res) => void res.status(202).end())
  const server = await new Promise<Server>((resolve, reject) => {
    const listening = app.listen(port, '127.0.0.1', error => (error ? reject(error) : resolve(listening)))
  })
  return {
    port: (server.address() as AddressInfo).port,
    requests,
    stop: () => {
      server.closeAllConnections()
      return new Promise(resolve => server.close(() => resolve()))
    },
  }
}
