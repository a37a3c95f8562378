import http from 'node:http'
import https from 'node:https'
import ipaddr from 'ipaddr.js'
import { isPublicAddress, NotPublic, publicLookup } from '../public-address.ts'

export interface Picture {
  readonly type: string
  readonly content: Buffer
}

export type PictureFailure = 'not-public' | 'not-a-picture' | 'too-large' | 'unreachable'
export type FetchedPicture =
  | { readonly ok: true; readonly value: Picture }
  | { readonly ok: false; readonly problem: PictureFailure }

/** Content types a browser draws without running anything; SVG is not one. */
const pictureTypes = /^image\/(png|jpe?g|gif|webp)\b/i
const mostBytes = 3_000_000
const timeLimit = 6_000
const mostRedirects = 3

class Refused extends Error {
  readonly problem: PictureFailure
  constructor(problem: PictureFailure) {
    super(problem)
    this.problem = problem
  }
}

/**
 * Fetches a picture of a message for the safe view: public hosts only, no cookies, no referrer, pictures
 * only, bounded in size, time and redirects. `standIn`: an address that takes the place of every host.
 */
export async function fetchPicture(url: string, standIn: string | null): Promise<FetchedPicture> {
  try {
    return { ok: true, value: await follow(url, standIn, mostRedirects) }
  } catch (error) {
    if (error instanceof NotPublic) return { ok: false, problem: 'not-public' }
    return { ok: false, problem: error instanceof Refused ? error.problem : 'unreachable' }
  }
}

async function follow(text: string, standIn: string | null, redirects: number): Promise<Picture> {
  const url = new URL(text)
  if (!/^https?:$/.test(url.protocol) || url.username !== '' || url.password !== '')
    throw new Refused('not-public')
  // A literal address is connected to without a look-up, so it is checked here.
  const literal = url.hostname.replace(/^\[|\]$/g, '')
  if (ipaddr.isValid(literal) && !isPublicAddress(literal)) throw new Refused('not-public')
  const answer = await request(url, standIn)
  if (answer.redirect === null) return answer.picture
  if (redirects === 0) throw new Refused('unreachable')
  return follow(new URL(answer.redirect, url).toString(), standIn, redirects - 1)
}

type Answer = { readonly redirect: string } | { readonly redirect: null; readonly picture: Picture }

function request(url: URL, standIn: string | null): Promise<Answer> {
  const target = standIn === null ? url : new URL(url.pathname + url.search, standIn)
  const client = target.protocol === 'https:' ? https : http
  return new Promise((resolve, reject) => {
    const req = client.get(
      target,
      {
        headers: {
          Accept: 'image/png, image/jpeg, image/gif, image/webp',
          'User-Agent': 'Pendro',
          Host: url.host,
        },
        timeout: timeLimit,
        agent: false,
        ...(standIn === null ? { lookup: publicLookup } : {}),
      },
      res => {
        const { statusCode = 0, headers } = res
        if (statusCode >= 300 && statusCode < 400 && headers.location) {
          res.destroy()
          return resolve({ redirect: headers.location })
        }
        const type = headers['content-type'] ?? ''
        if (statusCode !== 200 || !pictureTypes.test(type)) {
          res.destroy()
          return reject(new Refused(statusCode === 200 ? 'not-a-picture' : 'unreachable'))
        }
        const chunks: Buffer[] = []
        let size = 0
        res.on('data', (chunk: Buffer) => {
          size += chunk.length
          if (size > mostBytes) {
            res.destroy()
            reject(new Refused('too-large'))
          } else chunks.push(chunk)
        })
        res.on('end', () =>
          resolve({
            redirect: null,
            picture: {
              type: (type.split(';')[0] ?? '').trim().toLowerCase(),
              content: Buffer.concat(chunks),
            },
          }),
        )
        res.on('error', reject)
      },
    )
    const deadline = setTimeout(() => req.destroy(new Refused('unreachable')), timeLimit)
    req.on('timeout', () => req.destroy(new Refused('unreachable')))
    req.on('close', () => clearTimeout(deadline))
    req.on('error', reject)
  })
}
