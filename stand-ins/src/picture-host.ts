import { createHash } from 'node:crypto'
import type { Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { crc32, deflateSync } from 'node:zlib'
import express from 'express'

export interface PictureHost {
  readonly port: number
  /** What was asked for: host, path and the headers that came along. */
  readonly requests: readonly {
    readonly host: string
    readonly path: string
    readonly headers: Readonly<Record<string, unknown>>
  }[]
  readonly stop: () => Promise<void>
}

/**
 * Any web host that pictures in mail come from: a plain coloured PNG for each address. `/vector.svg`,
 * `/page.html`, `/large.png` and `/inside` (a redirect to a private address) are what a proxy must refuse.
 */
export async function startPictureHost({ port = 0 } = {}): Promise<PictureHost> {
  const requests: { host: string; path: string; headers: Record<string, unknown> }[] = []
  const app = express()
  app.use((req, _res, next) => {
    requests.push({ host: req.headers.host ?? '', path: req.path, headers: { ...req.headers } })
    if (requests.length > 500) requests.shift()
    next()
  })
  app.get(
    '/vector.svg',
    (_req, res) =>
      void res.type('image/svg+xml').send('<svg xmlns="http://www.w3.org/2000/svg" onload="alert(1)"/>'),
  )
  app.get('/page.html', (_req, res) => void res.type('html').send('<script>alert(1)</script>'))
  app.get(
    '/large.png',
    (_req, res) => void res.type('png').send(Buffer.concat([colouredPng('large'), Buffer.alloc(8_000_000)])),
  )
  app.get('/inside', (_req, res) => void res.redirect('http://127.0.0.1:1/secret.png'))
  app.get('/{*rest}', (req, res) => void res.type('png').send(colouredPng(`${req.headers.host}${req.path}`)))
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

const [width, height] = [240, 72]

/** An RGB PNG in one colour (PNG specification, third edition, §11). */
function colouredPng(name: string): Buffer {
  const [r = 0, g = 0, b = 0] = createHash('sha256').update(name).digest()
  const row = Buffer.concat([
    Buffer.from([0]),
    Buffer.alloc(width * 3, Buffer.from([120 + (r % 100), 120 + (g % 100), 120 + (b % 100)])),
  ])
  const header = Buffer.alloc(13)
  header.writeUInt32BE(width, 0)
  header.writeUInt32BE(height, 4)
  header.set([8, 2, 0, 0, 0], 8)
  return Buffer.concat([
    Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]),
    chunk('IHDR', header),
    chunk('IDAT', deflateSync(Buffer.concat(Array<Buffer>(height).fill(row)))),
    chunk('IEND', Buffer.alloc(0)),
  ])
}

function chunk(type: string, data: Buffer): Buffer {
  const body = Buffer.concat([Buffer.from(type, 'latin1'), data])
  const length = Buffer.alloc(4)
  length.writeUInt32BE(data.length)
  const sum = Buffer.alloc(4)
  sum.writeUInt32BE(crc32(body))
  return Buffer.concat([length, body, sum])
}
