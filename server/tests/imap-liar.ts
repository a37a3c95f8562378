import { createServer, type AddressInfo, type Socket } from 'node:net'

/** What an IMAP server says to a command; `null`: it closes the connection. Without its tag, which is put before the last line. */
export type Says = (command: string, args: string) => readonly string[] | null

/** An IMAP server that says what a test wants: stores that lie, break off or talk nonsense. */
export interface ImapLiar {
  readonly port: number
  readonly heard: string[]
  readonly close: () => Promise<void>
}

const usually: Says = (command, args) => {
  switch (command) {
    case 'CAPABILITY':
      return ['* CAPABILITY IMAP4rev1 AUTH=PLAIN SASL-IR LIST-STATUS SPECIAL-USE UIDPLUS MOVE', 'OK']
    case 'AUTHENTICATE':
      return ['OK [CAPABILITY IMAP4rev1 LIST-STATUS SPECIAL-USE UIDPLUS MOVE] in']
    case 'LIST':
      // RFC 9051 §6.3.9: an empty name asks for the delimiter.
      if (args === '"" ""') return ['* LIST (\\Noselect) "/" ""', 'OK']
      return [
        '* LIST (\\HasNoChildren) "/" INBOX',
        '* STATUS INBOX (MESSAGES 1 UIDNEXT 2 UIDVALIDITY 7 UNSEEN 1)',
        '* LIST (\\HasNoChildren \\Junk) "/" Spam',
        '* STATUS Spam (MESSAGES 0 UIDNEXT 1 UIDVALIDITY 8 UNSEEN 0)',
        'OK',
      ]
    case 'SELECT':
    case 'EXAMINE':
      return ['* 1 EXISTS', '* OK [UIDVALIDITY 7]', '* OK [UIDNEXT 2]', 'OK [READ-WRITE]']
    case 'UID':
      return ['* SEARCH', 'OK']
    case 'LOGOUT':
      return ['* BYE', 'OK']
    default:
      return ['OK']
  }
}

/** @param says What it says; `undefined` for the usual. @param greeting Its first line. */
export async function startLiar(
  says: (command: string, args: string) => ReturnType<Says> | undefined,
  greeting = '* OK ready',
): Promise<ImapLiar> {
  const heard: string[] = []
  const sockets = new Set<Socket>()
  const server = createServer(socket => {
    sockets.add(socket)
    socket.on('error', () => {})
    socket.on('close', () => sockets.delete(socket))
    socket.write(`${greeting}\r\n`)
    let rest = ''
    let asked = ''
    socket.on('data', part => {
      rest += part.toString('latin1')
      for (let end = rest.indexOf('\r\n'); end >= 0; end = rest.indexOf('\r\n')) {
        const line = rest.slice(0, end)
        rest = rest.slice(end + 2)
        // RFC 9051 §6.2.2: what somebody signs in with comes when it is asked for.
        if (asked === '' && /^\S+ AUTHENTICATE PLAIN$/i.test(line)) {
          asked = line
          socket.write('+ \r\n')
          continue
        }
        const whole = asked === '' ? line : `${asked} ${line}`
        asked = ''
        const [tag = '', command = '', ...args] = whole.split(' ')
        heard.push(whole.slice(tag.length + 1))
        const name = command.toUpperCase()
        const said =
          says(name, args.join(' ')) ??
          (says(name, args.join(' ')) === null ? null : usually(name, args.join(' ')))
        if (said === null) return void socket.destroy()
        socket.write(said.map((one, i) => `${i === said.length - 1 ? `${tag} ` : ''}${one}\r\n`).join(''))
      }
    })
  }).listen(0, '127.0.0.1')
  await new Promise(done => server.once('listening', done))
  return {
    port: (server.address() as AddressInfo).port,
    heard,
    close: async () => {
      for (const socket of sockets) socket.destroy()
      await new Promise(done => server.close(done))
    },
  }
}
