import { connect, createServer, type Socket } from 'node:net'

interface Cuts {
  /** Breaks off when somebody says this, and before the server hears it. */
  readonly asked?: string
  /** Lets the server hear this, and breaks off before anybody hears the answer. Once. */
  readonly answer?: string
  /** What the server says goes through this. */
  readonly says?: (text: string) => string
}

export interface CutOff {
  readonly port: number
  readonly close: () => Promise<void>
}

/** A way to a server of this machine that breaks off where a test wants it to. */
export async function cutOff(port: number, { asked, answer, says }: Cuts): Promise<CutOff> {
  const open = new Set<Socket>()
  let once = answer
  const proxy = createServer(client => {
    const behind = connect(port, '127.0.0.1')
    for (const socket of [client, behind]) {
      open.add(socket)
      socket.on('error', () => {})
      socket.on('close', () => {
        client.destroy()
        behind.destroy()
      })
    }
    let isDeaf = false
    client.on('data', part => {
      if (asked !== undefined && part.includes(asked)) return void client.destroy()
      if (once !== undefined && part.includes(once)) {
        isDeaf = true
        once = undefined
      }
      behind.write(part)
    })
    behind.on('data', part => {
      if (isDeaf) client.destroy()
      else client.write(says ? Buffer.from(says(part.toString('latin1')), 'latin1') : part)
    })
  }).listen(0, '127.0.0.1')
  await new Promise(done => proxy.once('listening', done))
  return {
    port: (proxy.address() as { port: number }).port,
    close: () =>
      new Promise(done => {
        for (const socket of open) socket.destroy()
        proxy.close(() => done())
      }),
  }
}
