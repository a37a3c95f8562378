import { afterAll, beforeAll, expect, test } from 'vitest'
import { arrive, signedIn, startTestServer, stateOf, type TestServer } from './support.ts'

let server: TestServer
beforeAll(async () => {
  server = await startTestServer()
})
afterAll(() => server.close())

const withScript = {
  subject: 'A script',
  headers: ['MIME-Version: 1.0', 'Content-Type: multipart/mixed; boundary=b'],
  body: '--b\r\nContent-Type: text/plain\r\n\r\nhi\r\n--b\r\nContent-Type: text/plain; name=run.js\r\nContent-Disposition: attachment; filename=run.js\r\n\r\n// nothing\r\n--b--\r\n',
}

test('a steward sets which attachments seal; it counts from the next message, and stands in the record', async () => {
  const oda = await signedIn(server, 'oda')
  const [sealed = 0] = await arrive(server, withScript)
  expect(await stateOf(server.db, sealed)).toBe('sealed')
  expect((await oda.post('/api/organisation/forbidden', { forbidden: ['executable'] })).body).toEqual({
    forbidden: ['executable'],
  })
  expect((await oda.get('/api/organisation/forbidden')).body.forbidden).toEqual(['executable'])
  const [open = 0] = await arrive(server, withScript)
  expect(await stateOf(server.db, open)).not.toBe('sealed')
  expect((await oda.get('/api/record?who=me')).body.lines[0]).toMatchObject({
    act: 'forbidden-set',
    facts: { forbidden: 'executable' },
  })
})

test('others are told who may; a kind that does not exist is a 400', async () => {
  const [oda, per, una] = await Promise.all([
    signedIn(server, 'oda'),
    signedIn(server, 'per'),
    signedIn(server, 'una'),
  ])
  expect((await per.post('/api/organisation/forbidden', { forbidden: [] })).body.code).toBe('NEEDS_STEWARD')
  expect((await una.post('/api/organisation/forbidden', { forbidden: [] })).body.code).toBe('OBSERVER')
  expect((await oda.post('/api/organisation/forbidden', { forbidden: ['everything'] })).status).toBe(400)
})

test('mailboxes are found by text as it is written, and one by its number', async () => {
  const per = await signedIn(server, 'per')
  const names = async (query: string) =>
    (await per.get(`/api/mailboxes?${query}`)).body.mailboxes.map(
      ({ address }: { address: string }) => address,
    )
  expect(await names('find=kari')).toEqual(['kari@harbour.example'])
  // '%' and '_' are letters here
  expect(await names('find=%25')).toEqual([])
  expect(await names('find=k_ri')).toEqual([])
  expect(await names(`id=${server.mailbox('aksel')}&limit=1`)).toEqual(['aksel@harbour.example'])
  expect(await names('id=999999')).toEqual([])
})
