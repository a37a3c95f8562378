import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { workEnquiries } from '../src/whereabouts/enquiry-watch.ts'
import { arrive, proven, signedIn, startTestServer, throughTheDoor, type TestServer } from './support.ts'

let server: TestServer
let per: Awaited<ReturnType<typeof signedIn>>
beforeAll(async () => {
  server = await startTestServer()
  per = await signedIn(server, 'per')
})
afterAll(() => server.close())

const tick = (minutes: number) => {
  server.clock.now = new Date(server.clock.now.getTime() + minutes * 60_000)
}

describe('enquiries', () => {
  const question = { from: 'Havn Elektro', to: 'Kari', about: 'tilbud kabel', when: '' }
  const open = async () =>
    (
      await per.post('/api/enquiries', {
        mailboxId: server.mailbox('kari'),
        how: 'phone',
        words: 'She waits for an offer',
        question,
      })
    ).body.id as number
  const come = (subject: string, to = 'kari@harbour.example') =>
    arrive(server, {
      from: 'Havn Elektro <salg@havn-elektro.example>',
      subject,
      to: [to],
      headers: [proven('havn-elektro.example')],
    })

  test('an open one watches: what fits is told once, for its own colleague, also with two processes', async () => {
    const id = await open()
    await workEnquiries(server.db, server.clock.now)
    const [meant = 0] = await come('Tilbud på kabel')
    await come('Tilbud på kabel', 'aksel@harbour.example')
    await come('Summer party')
    await Promise.all([
      workEnquiries(server.db, server.clock.now),
      workEnquiries(server.db, server.clock.now),
    ])
    while ((await workEnquiries(server.db, server.clock.now)) > 0);
    const { body } = await per.get(`/api/enquiries/${id}`)
    expect(body).toMatchObject({ state: 'being looked for', staffer: 'Per Dal', cameIn: 1 })
    expect(body.deliveries).toMatchObject([{ id: meant, how: 'came in', subject: 'Tilbud på kabel' }])
    const { lines } = (await per.get('/api/record?what=enquiries&who=everybody')).body
    expect(
      lines.filter(
        ({ act, deliveryId }: { act: string; deliveryId: number }) =>
          act === 'enquiry-came-in' && deliveryId === meant,
      ),
    ).toHaveLength(1)
    const review = (await per.get('/api/review?find=Tilbud')).body
    expect(review.rows.find((row: { id: number }) => row.id === meant)?.askedFor).toBe(true)

    await per.post(`/api/enquiries/${id}`, { state: 'found', answer: 'Here it is', delivery: meant })
    await come('Tilbud på kabel, ny')
    while ((await workEnquiries(server.db, server.clock.now)) > 0);
    expect((await per.get(`/api/enquiries/${id}`)).body).toMatchObject({ state: 'found', cameIn: 1 })
  })

  test('the number beside the area counts those that wait, and no answered one', async () => {
    const waiting = async () => (await per.get('/api/open-work')).body.enquiries as number
    const before = await waiting()
    const id = await open()
    expect(await waiting()).toBe(before + 1)
    await per.post(`/api/enquiries/${id}`, { state: 'waiting for sender' })
    expect(await waiting()).toBe(before + 1)
    await per.post(`/api/enquiries/${id}`, { state: 'never sent to us' })
    expect(await waiting()).toBe(before)
  })

  test('two staffers working on the same one see each other, for half a minute', async () => {
    const id = await open()
    const oda = await signedIn(server, 'oda')
    await per.get(`/api/enquiries/${id}`)
    expect((await oda.get(`/api/enquiries/${id}`)).body.alsoHere).toEqual(['Per Dal'])
    tick(1)
    expect((await oda.get(`/api/enquiries/${id}`)).body.alsoHere).toEqual([])
  })

  test('what can not be done is said', async () => {
    const una = await signedIn(server, 'una')
    const id = await open()
    expect((await una.post(`/api/enquiries/${id}`, { state: 'found' })).body.code).toBe('OBSERVER')
    expect((await per.get('/api/enquiries/999999')).body.code).toBe('ENQUIRY_NOT_FOUND')
    expect((await per.post(`/api/enquiries/${id}`, { delivery: 999999 })).body.code).toBe(
      'DELIVERY_NOT_FOUND',
    )
    expect((await per.post(`/api/enquiries/${id}`, { state: 'lost' })).body.code).toBe('BAD_REQUEST')
    expect(
      (await per.post('/api/enquiries', { mailboxId: 9999, how: 'phone', words: 'x', question })).body.code,
    ).toBe('MAILBOX_NOT_FOUND')
  })
})

describe('enquiries of colleagues themselves', () => {
  const byMail = async (headers: readonly string[], body: string, from = 'Kari <kari@harbour.example>') => {
    const raw = [
      `From: ${from}`,
      'To: help@harbour.example',
      'Subject: Where is it?',
      ...headers,
      '',
      body,
    ].join('\r\n')
    return throughTheDoor(server, { from: 'kari@harbour.example', to: ['help@harbour.example'], raw })
  }
  const proof = proven('harbour.example')
  const newest = async () => (await per.get('/api/enquiries')).body.enquiries[0]

  test('by mail to the help address: their words, and whom they ask about', async () => {
    tick(1)
    expect(await byMail([proof], 'I wait for a mail of sales@lantern-yard.example since Monday.')).toContain(
      '2.0.0',
    )
    expect(await newest()).toMatchObject({ how: 'mail', state: 'new', mailboxName: 'Kari', staffer: '' })
    const { body } = await per.get(`/api/enquiries/${(await newest()).id}`)
    expect(body.question).toMatchObject({ from: 'sales@lantern-yard.example', to: 'kari@harbour.example' })
  })
  test('a forged one is refused, an automatic one taken and forgotten', async () => {
    const before = (await newest()).id
    expect(await byMail([], 'Forged')).toContain('5.7.1')
    expect(await byMail([proof, 'Auto-Submitted: auto-replied'], 'I am away')).toContain('2.0.0')
    expect((await newest()).id).toBe(before)
  })
})
