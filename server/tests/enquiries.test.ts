import { select } from '../src/db/database.ts'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { workEnquiries } from '../src/whereabouts/enquiry-watch.ts'
import {
  arrive,
  asColleague,
  fakeStore,
  proven,
  signedIn,
  startTestServer,
  throughTheDoor,
  work,
  type TestServer,
} from './support.ts'
import { randomUUID } from 'node:crypto'

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
    const review = (await per.get(`/api/review?find=Tilbud&mailbox=${server.mailbox('kari')}`)).body
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

describe('answers reach the colleague, and what they write comes back', () => {
  const proof = proven('harbour.example')
  const question = { from: 'Lantern Yard', to: 'Kari', about: 'the offer', when: '' }
  const letter = (words: string, more: object = {}) => ({ words, token: randomUUID(), ...more })
  const byMail = (subject: string, headers: readonly string[], body: string, to = 'help@harbour.example') => {
    tick(1)
    return throughTheDoor(server, {
      from: 'kari@harbour.example',
      to: [to],
      raw: [
        'From: Kari <kari@harbour.example>',
        `To: ${to}`,
        `Subject: ${subject}`,
        proof,
        ...headers,
        '',
        body,
      ].join('\r\n'),
    })
  }
  const newest = async () => (await per.get('/api/enquiries')).body.enquiries[0]
  const open = async (mailbox = 'kari') =>
    (
      await per.post('/api/enquiries', {
        mailboxId: server.mailbox(mailbox),
        how: 'phone',
        words: 'She waits for an offer',
        question,
      })
    ).body.id as number
  const sheetOf = async (id: number) => (await per.get(`/api/enquiries/${id}`)).body
  const store = fakeStore()
  const sendAll = async () => {
    while ((await work(server, store.send)) > 0);
  }
  const mailed = async () => {
    await sendAll()
    // Soft line breaks of quoted-printable, and folded header fields, as a reader sees them.
    // Deliveries of other tests go out beside it, in no order.
    const letters = store.taken.filter(({ raw }) => raw.startsWith('Pendro-Delivery: letter-'))
    return (letters.at(-1)?.raw ?? '').replace(/=\r?\n/g, '').replace(/\r?\n[ \t]+/g, ' ')
  }
  const idOf = (mail: string) => /^Message-ID: (<[^>]+>)/im.exec(mail)?.[1] ?? ''

  test('in the thread of the mail they asked by; a reply comes back into the enquiry and opens it again', async () => {
    await byMail(
      'Where is the offer?',
      ['Message-ID: <asked-1@harbour.example>'],
      'From sales@lantern-yard.example',
    )
    const { id } = await newest()
    const once = letter('It was kept back. It is in your inbox now.', { state: 'found' })
    await per.post(`/api/enquiries/${id}/letters`, once)
    await per.post(`/api/enquiries/${id}/letters`, once)
    const mail = await mailed()
    expect(store.taken.filter(({ raw }) => raw.includes('It was kept back. It is'))).toHaveLength(1)
    expect(mail).toMatch(/^In-Reply-To: <asked-1@harbour\.example>/im)
    expect(mail).toMatch(/^Subject: Re: Where is the offer\?/im)
    expect(mail).toMatch(/^Reply-To: help@harbour\.example/im)
    expect(mail).not.toMatch(/^Auto-Submitted/im)
    expect(mail).toContain(`http://pendro.harbour.example/own/questions/${id}`)
    expect(await sheetOf(id)).toMatchObject({
      state: 'found',
      answer: 'It was kept back. It is in your inbox now.',
      letters: [
        { by: 'colleague', words: 'From sales@lantern-yard.example', mail: 'none' },
        { by: 'staffer', name: 'Per Dal', mail: 'delivered', readAt: null },
      ],
    })

    const answered = idOf(mail)
    const reply = 'Not there!\r\n\r\nOn Monday Per wrote:\r\n> It was kept back. It is in your inbox now.'
    await byMail(
      'Re: Where is the offer?',
      [`In-Reply-To: ${answered}`, 'Message-ID: <asked-2@harbour.example>'],
      reply,
    )
    expect((await newest()).id).toBe(id)
    const again = await sheetOf(id)
    expect(again).toMatchObject({ state: 'being looked for', lastLetter: 'colleague' })
    expect(again.letters.at(-1)).toMatchObject({ by: 'colleague', how: 'mail', words: 'Not there!' })
    // The next answer goes on in the same thread.
    await per.post(`/api/enquiries/${id}/letters`, letter('Look again'))
    const next = await mailed()
    expect(next).toMatch(/^In-Reply-To: <asked-2@harbour\.example>/im)
    expect(next.replace(/\r?\n\s+/g, ' ')).toContain(
      `References: <asked-1@harbour.example> ${answered} <asked-2@harbour.example>`,
    )
  })

  test('to the address digests come from the reply comes back, too; to nobody else’s enquiry', async () => {
    const id = await open()
    await per.post(`/api/enquiries/${id}/letters`, letter('We are looking'))
    const answered = idOf(await mailed())
    expect(
      await byMail('Re: Your question', [`References: ${answered}`], 'Thanks', 'digest@harbour.example'),
    ).toContain('2.0.0')
    expect((await sheetOf(id)).letters.at(-1)).toMatchObject({ by: 'colleague', words: 'Thanks' })
    const others = await open('aksel')
    await per.post(`/api/enquiries/${others}/letters`, letter('For Aksel'))
    const aksels = idOf(await mailed())
    await byMail('Re: x', [`In-Reply-To: ${aksels}`], 'Guessed')
    expect((await sheetOf(others)).letters).toHaveLength(1)
    expect(await newest()).toMatchObject({ how: 'mail', mailboxName: 'Kari' })
  })

  test('in their language, on their own page, and the staffer sees that it was read', async () => {
    const id = await open()
    await per.post(`/api/enquiries/${id}/letters`, letter('We are looking'))
    const kari = await asColleague(server, 'kari')
    const { questions } = (await kari.get('/api/own/enquiries')).body
    expect(questions[0]).toMatchObject({
      id,
      unread: 1,
      letters: [{ by: 'staffer', name: 'Per Dal', words: 'We are looking' }],
    })
    expect((await sheetOf(id)).letters[0].readAt).toBeNull()
    await kari.post(`/api/own/enquiries/${id}/read`, {})
    expect((await sheetOf(id)).letters[0].readAt).toBe(server.clock.now.toISOString())
    await kari.post(`/api/own/enquiries/${id}/letters`, { words: 'It came, thank you' })
    expect((await sheetOf(id)).letters.at(-1)).toMatchObject({ how: 'page', words: 'It came, thank you' })
    const aksel = await asColleague(server, 'aksel')
    expect((await aksel.post(`/api/own/enquiries/${id}/letters`, { words: 'Not mine' })).body.code).toBe(
      'ENQUIRY_NOT_FOUND',
    )
    await aksel.post(`/api/own/enquiries/${id}/read`, {})
    const shownToAksel = (await aksel.get('/api/own/enquiries')).body.questions
    expect(shownToAksel.map((one: { id: number }) => one.id)).not.toContain(id)
  })

  test('words for “nothing came” and “waiting for the sender” are ready in each language', async () => {
    const sheet = await sheetOf(await open())
    expect(sheet.nothingCame.en).toMatch(
      /^No message from Lantern Yard about “the offer” has reached kari@harbour/,
    )
    expect(sheet.waitForSender.en).toContain('you hear from us')
    for (const language of ['nb', 'de', 'pl'])
      expect([sheet.nothingCame[language], sheet.waitForSender[language]].join()).not.toContain('No message')
  })

  test('a mailbox that refuses the answer is told; the record keeps who answered and who replied', async () => {
    const id = await open()
    await per.post(`/api/enquiries/${id}/letters`, letter('Can you read this?'))
    store.mood.answer = { status: 'refused', problem: '550 5.2.1 closed' }
    const told = async () =>
      (
        await select<{ n: number }>(server.db, "SELECT COUNT(*) AS n FROM live_events WHERE kind = 'enquiry'")
      )[0]?.n ?? 0
    const before = await told()
    await sendAll()
    // Whoever has the enquiry open sees it at once.
    expect(await told()).toBeGreaterThan(before)
    store.mood.answer = { status: 'taken' }
    const [sent] = (await sheetOf(id)).letters
    expect(sent.mail).toBe('refused')
    expect(sent.problem).toBe('550 5.2.1 closed')
    const { lines } = (await per.get('/api/record?what=enquiries&who=everybody')).body
    const acts = lines.map(({ act }: { act: string }) => act)
    expect(acts).toContain('enquiry-answered')
    expect(acts).toContain('enquiry-reply')
    const una = await signedIn(server, 'una')
    expect((await una.post(`/api/enquiries/${id}/letters`, letter('x'))).body.code).toBe('OBSERVER')
    expect((await per.post('/api/enquiries/999999/letters', letter('x'))).body.code).toBe('ENQUIRY_NOT_FOUND')
    expect((await per.post(`/api/enquiries/${id}/letters`, letter('  '))).body.code).toBe('BAD_REQUEST')
  })
})
