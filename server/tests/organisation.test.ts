import { afterAll, beforeAll, expect, test } from 'vitest'
import { signedIn, startTestServer, type TestServer } from './support.ts'

let server: TestServer
beforeAll(async () => {
  server = await startTestServer()
})
afterAll(() => server.close())

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
