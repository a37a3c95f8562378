import { connect, createServer, type AddressInfo } from 'node:net'

/** A port of loopback that nobody listens at just now. */
export async function freePort(): Promise<number> {
  const server = createServer().listen(0, '127.0.0.1')
  await new Promise(done => server.once('listening', done))
  const { port } = server.address() as AddressInfo
  await new Promise(done => server.close(done))
  return port
}

/** Whether somebody greets at a port. */
export function answers(port: number): Promise<boolean> {
  return new Promise(done => {
    const socket = connect(port, '127.0.0.1')
    const is = (yes: boolean) => {
      socket.destroy()
      done(yes)
    }
    socket.once('data', () => is(true))
    socket.once('error', () => is(false))
    setTimeout(() => is(false), 2000).unref()
  })
}
