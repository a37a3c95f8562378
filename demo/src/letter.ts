import MailComposer from 'nodemailer/lib/mail-composer'
import { dkimSign } from 'mailauth/lib/dkim/sign.js'
import { trustedHost } from './organisation.ts'
import { hostAddress, signingKey } from './signing.ts'

/** A trace field (RFC 5321 §4.4) and, where the sender has a key, its signature (RFC 8463). */
async function unchecked({ from, proof }: Draft, at: Date, bytes: Buffer): Promise<string> {
  const host = domainOf(from.address)
  const genuine = proof === 'pass' || proof === 'aligned' || proof === 'service'
  const ip = genuine ? hostAddress(host) : '198.51.100.77'
  const received = `Received: from mail.${host} (mail.${host} [${ip}])\r\n by ${trustedHost} with ESMTPS; ${at.toUTCString().replace('GMT', '+0000')}\r\n`
  if (proof !== 'pass' && proof !== 'service') return received
  return received + (await signatureOf(host, at, bytes))
}

/** RFC 6376 §5.4.1, and what RFC 8058 §4 asks for beside it. */
const signedFields =
  'From:To:Subject:Date:Message-ID:MIME-Version:Content-Type:Reply-To:In-Reply-To:References:List-ID:List-Unsubscribe:List-Unsubscribe-Post'

async function signatureOf(host: string, at: Date, bytes: Buffer): Promise<string> {
  const { selector, privateKey } = signingKey(host)
  const key = {
    signingDomain: host,
    selector,
    privateKey: privateKey.export({ format: 'pem', type: 'pkcs8' }).toString(),
  }
  const { signatures } = await dkimSign(bytes, {
    ...key,
    signatureData: [{ ...key, algorithm: 'ed25519-sha256' }],
    signTime: at,
    // The library reads one text here, whatever its types say.
    headerList: signedFields as unknown as string[],
  })
  return signatures
}

/** What our edge host found out about a message; it becomes an Authentication-Results field (RFC 8601). */
export type Proof = 'pass' | 'aligned' | 'service' | 'none' | 'fail' | 'temperror'

export interface Attached {
  readonly name: string
  readonly type: string
  readonly content: Buffer
}

/** A message before it is bytes. */
export interface Draft {
  readonly from: { readonly name: string; readonly address: string }
  readonly to: readonly { readonly name: string; readonly address: string }[]
  readonly envelopeFrom?: string
  readonly replyTo?: string
  readonly subject: string
  readonly text: string
  readonly html?: string
  readonly attachments?: readonly Attached[]
  readonly proof: Proof
  readonly headers?: Readonly<Record<string, string>>
  readonly messageId?: string | null
  readonly answers?: string
  /** Minutes the Date field is wrong by. */
  readonly clockOff?: number
  /** Carries its own signature although our edge host has checked it already. */
  readonly signed?: boolean
}

export interface Letter {
  readonly raw: Buffer
  readonly envelopeFrom: string
  readonly recipients: readonly string[]
  readonly at: Date
}

const domainOf = (address: string) => address.split('@')[1] ?? ''

function proofField({ proof, from, envelopeFrom }: Draft): string {
  const header = domainOf(from.address)
  const envelope = domainOf(envelopeFrom ?? from.address)
  switch (proof) {
    case 'pass':
      return `${trustedHost}; spf=pass smtp.mailfrom=${envelope}; dkim=pass header.d=${header}; dmarc=pass header.from=${header}`
    case 'aligned':
      return `${trustedHost}; spf=pass smtp.mailfrom=${envelope}; dkim=none`
    case 'service':
      return `${trustedHost}; spf=pass smtp.mailfrom=${envelope}; dkim=pass header.d=${header}`
    case 'none':
      return `${trustedHost}; spf=none smtp.mailfrom=${envelope}; dkim=none; dmarc=none header.from=${header}`
    case 'fail':
      return `${trustedHost}; spf=softfail smtp.mailfrom=${envelope}; dkim=fail header.d=${header}; dmarc=fail header.from=${header}`
    case 'temperror':
      return `${trustedHost}; spf=temperror smtp.mailfrom=${envelope}; dmarc=temperror header.from=${header}`
  }
}

/** Our edge host notes whom it took the letter from (RFC 5321 §4.4), below what it found out. */
const receivedField = (host: string, at: Date) =>
  `Received: from mail.${host} (mail.${host} [${hostAddress(host)}])\r\n by ${trustedHost} with ESMTPS; ${at.toUTCString().replace('GMT', '+0000')}\r\n`

/**
 * The bytes as they came over the wire. 'checked': our edge host has put its findings on top. 'direct': it
 * only noted who handed the letter over, and Pendro has to check for itself.
 */
export async function writeLetter(
  draft: Draft,
  at: Date,
  serial: string,
  route: 'checked' | 'direct' = 'checked',
): Promise<Letter> {
  const { from, to, subject, text, html, attachments = [], messageId, answers } = draft
  const composer = new MailComposer({
    from: { name: from.name, address: from.address },
    to: to.map(({ name, address }) => ({ name, address })),
    replyTo: draft.replyTo,
    subject,
    text,
    html,
    date: new Date(at.getTime() + (draft.clockOff ?? 0) * 60_000),
    messageId: messageId ?? `<${serial}@${domainOf(from.address)}>`,
    ...(answers ? { inReplyTo: answers, references: answers } : {}),
    attachments: attachments.map(a => ({ filename: a.name, contentType: a.type, content: a.content })),
    headers: { ...draft.headers },
  })
  let bytes = await composer.compile().build()
  if (messageId === null)
    bytes = Buffer.from(bytes.toString('latin1').replace(/^Message-ID:.*\r\n/im, ''), 'latin1')
  const own = !domainOf(from.address).startsWith('vindholm') || draft.proof !== 'pass'
  const top = !own
    ? ''
    : route === 'checked'
      ? `Authentication-Results: ${proofField(draft)}\r\n${receivedField(domainOf(from.address), at)}${draft.signed ? await signatureOf(domainOf(from.address), at, bytes) : ''}`
      : await unchecked(draft, at, bytes)
  return {
    raw: Buffer.concat([Buffer.from(top), bytes]),
    envelopeFrom: draft.envelopeFrom ?? from.address,
    recipients: to.map(({ address }) => address),
    at,
  }
}
