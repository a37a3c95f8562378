import { createPrivateKey, X509Certificate, type KeyObject } from 'node:crypto'
import { readFile, stat } from 'node:fs/promises'

/** What stands in the way of TLS. */
export type CertificateProblem =
  | 'no-certificate'
  | 'no-key'
  | 'certificate-unreadable'
  | 'key-unreadable'
  | 'key-does-not-fit'
  | 'not-yet'
  | 'over'

/** The certificate that mail servers are shown, as its files are now. */
export type Certificate =
  /** None is set: the doors speak no TLS. */
  | { readonly state: 'off' }
  /** Both as PEM. */
  | { readonly state: 'good'; readonly cert: string; readonly key: string }
  | { readonly state: 'bad'; readonly problem: CertificateProblem; readonly detail: string }

export interface CertificateFiles {
  /** PEM, with the certificates between it and a well-known one behind it; '' for none. */
  readonly cert: string
  readonly key: string
}

/** Larger files hold something else. */
const mostBytes = 500_000

const bad = (problem: CertificateProblem, detail = ''): Certificate => ({ state: 'bad', problem, detail })

/** Reads and checks both files; never throws. What is wrong is told, and nothing else is used in its place. */
export async function readCertificate(files: CertificateFiles, now: Date): Promise<Certificate> {
  if (files.cert === '' && files.key === '') return { state: 'off' }
  if (files.cert === '') return bad('no-certificate')
  if (files.key === '') return bad('no-key')
  const cert = await readPem(files.cert)
  if (cert instanceof Error) return bad('certificate-unreadable', cert.message)
  const key = await readPem(files.key)
  if (key instanceof Error) return bad('key-unreadable', key.message)
  let shown: X509Certificate
  try {
    shown = new X509Certificate(cert)
  } catch (error) {
    return bad('certificate-unreadable', (error as Error).message)
  }
  let secret: KeyObject
  try {
    secret = createPrivateKey(key)
  } catch (error) {
    return bad('key-unreadable', (error as Error).message)
  }
  if (!shown.checkPrivateKey(secret)) return bad('key-does-not-fit')
  const [from, until] = [new Date(shown.validFrom), new Date(shown.validTo)]
  if (now < from) return bad('not-yet', from.toISOString())
  if (now >= until) return bad('over', until.toISOString())
  return { state: 'good', cert, key }
}

async function readPem(file: string): Promise<string | Error> {
  try {
    const { size } = await stat(file)
    // Asked before it is read: it may be anything.
    return size > mostBytes
      ? new Error(`${file} has ${size} bytes`)
      : (await readFile(file)).toString('latin1')
  } catch (error) {
    return error as Error
  }
}

/** Whether two readings come to the same, so that nothing has to be told or changed. */
export function isSameCertificate(a: Certificate, b: Certificate): boolean {
  if (a.state === 'good' && b.state === 'good') return a.cert === b.cert && a.key === b.key
  if (a.state === 'bad' && b.state === 'bad') return a.problem === b.problem && a.detail === b.detail
  return a.state === b.state
}
