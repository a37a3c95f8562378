import { createTransport } from 'nodemailer'

/** One message somebody out there sends. */
export interface Letter {
  readonly raw: Buffer
  readonly from: string
  readonly to: readonly string[]
}

/** Sends a letter by SMTP, under a name; rejects with the server's words when it is not taken. */
export async function sendLetter(
  port: number,
  { raw, from, to }: Letter,
  name = 'localhost',
): Promise<string> {
  const transport = createTransport({ host: '127.0.0.1', port, name, secure: false, ignoreTLS: true })
  const { response } = await transport.sendMail({ envelope: { from, to: [...to] }, raw })
  return response
}

export interface Trickle {
  readonly stop: () => Promise<void>
}

/** Sends one letter after another, `pause` ms apart; one that is refused is skipped. */
export function startTrickle(
  port: number,
  next: () => Promise<Letter>,
  pause: () => number,
  failed: (error: unknown) => void,
  name?: string,
): Trickle {
  let stopped = false
  let timer: NodeJS.Timeout | undefined
  let sending: Promise<unknown> = Promise.resolve()
  const schedule = () => {
    timer = setTimeout(() => {
      sending = next()
        .then(letter => sendLetter(port, letter, name))
        .catch(failed)
        .finally(() => {
          if (!stopped) schedule()
        })
    }, pause())
  }
  schedule()
  return {
    stop: async () => {
      stopped = true
      clearTimeout(timer)
      await sending
    },
  }
}
