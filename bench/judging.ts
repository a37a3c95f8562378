import { fork, type ChildProcess } from 'node:child_process'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { writeLetter } from '@pendro/demo/letter'
import { makeMail } from '@pendro/demo/mail'
import { correspondents } from '@pendro/demo/wanted'
import { makeColleagues } from '@pendro/demo/organisation'
import { chanceOf } from '@pendro/demo/random'
import {
  decide,
  findHarm,
  fitText,
  isBulk,
  junkScore,
  senderFacts,
  weighForMailbox,
  weighMessage,
  tokensOf,
} from '@pendro/core/judgement'
import { readTrusted } from '@pendro/core/authentication'
import { noAuthentication } from '@pendro/core/senders'
import { matchingRules, type MailRule, type RuleCondition } from '@pendro/core/mail-rules'
import { parseMessage, ruleView, type Message } from '@pendro/core/message'
import { simpleParser } from 'mailparser'
import { countsOf } from '../core/tests/lessons.ts'
import { bundle } from '../scripts/bundle.mjs'
import { demoOrganisation } from '../scripts/fill-demo.ts'
import { root } from '../scripts/prepare.mjs'
import { atMost, inTurns, median, type Measured, type Section } from './measure.ts'

const nobody = {
  writtenToAddress: 3,
  writtenToDomain: 5,
  answered: null,
  seenAddress: 2,
  seenDomain: 9,
  ruledWanted: 0,
  ruledJunk: 1,
  imitates: null,
}

/** The demo's messages, and what judges them. */
async function judging() {
  const chance = chanceOf(3)
  const colleagues = makeColleagues(chance)
  const mail = makeMail(colleagues, chance, { now: new Date('2026-11-20T12:00:00Z'), days: 4 }).filter(
    ({ direction }) => direction === 'in',
  )
  const raws = await Promise.all(
    mail.slice(0, 500).map(async h => (await writeLetter(h.draft, h.at, h.serial)).raw),
  )
  const { policy, limits } = demoOrganisation
  // Both models of words speak, as in an organisation that has taught them.
  const lessons = (await Promise.all(raws.map(parseMessage))).flatMap((parsed, i) =>
    parsed.ok ? [{ tokens: tokensOf(parsed.value), isJunk: i % 2 === 0 }] : [],
  )
  const counts = countsOf(lessons)
  const text = { ...counts, ...fitText(lessons, counts) }
  if (text.linear === null) throw new Error('no linear model')
  const knownDomains = [...policy.ownDomains, ...correspondents.map(({ domain }) => domain)]
  const trusted = ({ headers }: Message) =>
    readTrusted(headers, { ip: '127.0.0.1', helo: '' }, { ...policy, gateways: ['127.0.0.0/8'] })
      .authentication ?? noAuthentication
  const decideRead = (message: Message, size: number, rules: readonly MailRule[]) => {
    const sender = senderFacts(message, null, trusted(message))
    const evidence = [
      ...weighMessage({
        message,
        sender,
        context: { policy, knowledge: nobody, text, knownDomains, recipients: 1, receivedAt: Date.now() },
      }),
      ...weighForMailbox({ written: 1, isContact: false }, sender),
    ]
    decide(
      {
        sender,
        harm: findHarm(message.attachments, policy.forbidden),
        score: junkScore(evidence),
        bulk: isBulk(message),
        unreadable: false,
        rules: rules.length === 0 ? [] : matchingRules(rules, ruleView(message, size)),
      },
      { mailboxId: 1, limits, usesSetAside: true, filtering: true },
      { organisation: [], mailbox: [] },
      { policy, now: Date.now() },
    )
  }
  const judge = async (raw: Buffer) => {
    const parsed = await parseMessage(raw)
    if (parsed.ok) decideRead(parsed.value, raw.length, [])
  }
  return { raws, judge, decideRead }
}

/** A side of the comparison, for a process of its own: one round over all messages each time it is asked. */
export async function judgingSide(side: 'ours' | 'bare'): Promise<() => Promise<number>> {
  const { raws, judge } = await judging()
  const work = side === 'ours' ? judge : (raw: Buffer) => simpleParser(raw, bareOptions)
  return async () => {
    const began = performance.now()
    for (const raw of raws) await work(raw)
    return performance.now() - began
  }
}

/**
 * Rounds of both sides in turns, each in a process that does nothing else: a server judges and never parses with the bare library, and
 * what one leaves behind would be swept up in the other's time. The first rounds compile; a server is past its first thousands of messages.
 */
async function sides(): Promise<readonly [ours: number, bare: number]> {
  // As it runs in production: the loader of TypeScript names every function it makes, which costs.
  const folder = join(root, 'server/dist/bench')
  await bundle({ 'judging-side': fileURLToPath(new URL('./judging-side.ts', import.meta.url)) }, folder)
  const children = (['ours', 'bare'] as const).map(side =>
    fork(join(folder, 'judging-side.js'), [side], { execArgv: [] }),
  )
  const round = (child: ChildProcess) =>
    new Promise<number>(resolve => {
      child.once('message', took => resolve(took as number))
      child.send('round')
    })
  const times: number[][] = [[], []]
  for (let i = -8; i < 15; i += 1)
    for (const [side, child] of children.entries()) {
      const took = await round(child)
      if (i >= 0) times[side]?.push(took)
    }
  for (const child of children) child.disconnect()
  return [median(times[0] ?? []), median(times[1] ?? [])]
}

/** Judging the demo's messages against parsing the same bytes with the bare MIME library. */
export async function benchJudging(): Promise<Section> {
  const { raws, judge, decideRead } = await judging()
  const [ours, bare] = await sides()
  const read = (await Promise.all(raws.map(parseMessage))).flatMap(parsed =>
    parsed.ok ? [parsed.value] : [],
  )
  const deciding = (rules: readonly MailRule[]) => async () => {
    for (const message of read) decideRead(message, 5000, rules)
  }
  const [withRules = 0, without = 1] = await inTurns(7, deciding(manyRules()), deciding([]))
  const large = largeMessage()
  const [oursLarge = 0, bareLarge = 1] = await inTurns(
    5,
    () => judge(large),
    () => simpleParser(large, bareOptions),
  )
  return {
    title: 'Judging',
    rows: [
      atMost(`Reading and judging ${raws.length} messages`, ours, bare, 2.5, 'mailparser alone, same bytes'),
      atMost(
        `Deciding ${read.length} read messages with 200 mail rules`,
        withRules,
        without,
        3,
        'the same without rules',
      ),
      atMost('One message of 10 MB with 200 parts', oursLarge, bareLarge, 5, 'mailparser alone'),
      await memory(() => judge(large), large.length),
    ],
    notes:
      'Reading costs 1.35 times the bare library; deciding as much again, half of it for the text (naive Bayes and some 1,500 places of the linear model a message). The first row moves from 2.3 to 2.9 by run: what decides is memory far from the processor, what the bare library does is computing, and a machine that is shared has them in other proportions each minute.',
  }
}

/** As people have them: most by sender, some by subject, a few by the text; nearly none matches a message. */
function manyRules(): readonly MailRule[] {
  return Array.from({ length: 200 }, (_, i): MailRule => {
    const conditions: readonly RuleCondition[] =
      i % 10 === 0
        ? [{ field: 'body', test: 'contains', values: [`order number ${i}`] }]
        : i % 3 === 0
          ? [{ field: 'subject', test: 'contains', values: [`report ${i}`, `rapport ${i}`] }]
          : i % 3 === 1
            ? [{ field: 'from', test: 'is', values: [`sender${i}@firm${i}.example`] }]
            : [{ field: 'from', test: 'matches', values: [`*@firm${i}.example`] }]
    const place = { kind: 'folder', folder: `Folder ${i}` } as const
    return {
      id: i,
      name: `Rule ${i}`,
      owner: 'mailbox',
      needs: 'all',
      conditions,
      action: { hold: null, place, important: false, stop: false },
    }
  })
}

const bareOptions = {
  skipHtmlToText: true,
  skipTextToHtml: true,
  skipImageLinks: true,
  skipTextLinks: true,
} as const

function largeMessage(): Buffer {
  const part = (i: number) =>
    `--b\r\nContent-Type: application/octet-stream; name=part${i}.bin\r\nContent-Disposition: attachment; filename=part${i}.bin\r\nContent-Transfer-Encoding: base64\r\n\r\n${`${'QUJDREVGR0hJSktM'.repeat(4)}AAAA\r\n`.repeat(715)}`
  return Buffer.from(
    `From: a@x.example\r\nDate: Fri, 20 Nov 2026 08:00:00 +0000\r\nMessage-ID: <1@x.example>\r\nMIME-Version: 1.0\r\nContent-Type: multipart/mixed; boundary=b\r\n\r\n${Array.from({ length: 200 }, (_, i) => part(i)).join('')}--b--\r\n`,
  )
}

/** What judging holds at its fullest beyond what was held before, against the size of the message. */
async function memory(work: () => Promise<unknown>, size: number): Promise<Measured> {
  globalThis.gc?.()
  const before = process.memoryUsage()
  let most = 0
  const watch = setInterval(() => {
    const now = process.memoryUsage()
    most = Math.max(most, now.heapUsed + now.external - before.heapUsed - before.external)
  }, 1)
  await work()
  clearInterval(watch)
  const ratio = most / size
  return {
    what: 'Memory while judging it',
    ours: `${Math.round(most / 1e6)} MB`,
    against: `${Math.round(size / 1e6)} MB (the message)`,
    ratio,
    wanted: 'at most 8',
    met: ratio <= 8,
  }
}
