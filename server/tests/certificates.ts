import { spawnSync } from 'node:child_process'
import { writeFileSync } from 'node:fs'
import { join } from 'node:path'

/**
 * A certificate for 127.0.0.1 (server.pem, server.key) and one that signs it, made by openssl for this run; the file of the latter.
 * `days`: how long it counts from now.
 */
export function signCertificate(folder: string, days = 2): string {
  const file = (name: string) => join(folder, name)
  const openssl = (...args: string[]) => {
    const done = spawnSync('openssl', args, { encoding: 'utf8' })
    if (done.status !== 0) throw new Error(`openssl: ${done.stderr}`)
  }
  const key = '-newkey ec -pkeyopt ec_paramgen_curve:P-256 -nodes'.split(' ')
  const authority = ['-keyout', file('ca.key'), '-out', file('ca.pem'), '-days', '9']
  openssl('req', '-x509', ...key, ...authority, '-subj', '/CN=Harbour signs')
  openssl('req', ...key, '-keyout', file('server.key'), '-out', file('server.csr'), '-subj', '/CN=server')
  writeFileSync(file('names'), 'subjectAltName=IP:127.0.0.1,DNS:pendro.harbour.example')
  const signed = ['-CA', file('ca.pem'), '-CAkey', file('ca.key'), '-CAcreateserial', '-days', String(days)]
  openssl(
    'x509',
    '-req',
    '-in',
    file('server.csr'),
    ...signed,
    '-extfile',
    file('names'),
    '-out',
    file('server.pem'),
  )
  return file('ca.pem')
}
