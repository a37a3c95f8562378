import { writeLetter } from '@pendro/demo/letter'
import { makeMail } from '@pendro/demo/mail'
import { correspondents } from '@pendro/demo/wanted'
import { makeColleagues } from '@pendro/demo/organisation'
import { chanceOf } from '@pendro/demo/random'
import {
  decide,
  findHarm,
  isBulk,
  junkScore,
  senderFacts,
  weighForMailbox,
  weighMessage,
  tokensOf,
} from '@pendro/core/judgement'
import { parseMessage } from '@pendro/core/message'
import { simpleParser } from 'mailparser'
import { demoOrganisation } from '../scripts/fill-demo.ts'
import { atMost, inTurns, type Section } from './measure.ts'

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

/** Judging the demo's messages against parsing the same bytes with the bare MIME library. */
export async function benchJudging(): Promise<Section> {
  const chance = chanceOf(3)
  const colleagues = makeColleagues(chance)
  const mail = makeMail(colleagues, chance, { now: new Date('2026-11-20T12:00:00Z'), days: 4 }).filter(
    ({ direction }) => direction === 'in',
  )
  const raws = await Promise.all(
    mail.slice(0, 500).map(async h => (await writeLetter(h.draft, h.at, h.serial)).raw),
  )
  const { policy, limits } = demoOrganisation
  const text = {
    calibration: { slope: 1, intercept: 0 },
    total: { wanted: 500, junk: 500 },
    tokens: new Map(
      [
        ...new Set((await Promise.all(raws.map(parseMessage))).flatMap(p => (p.ok ? tokensOf(p.value) : []))),
      ].map((word, i) => [word, { wanted: i % 50, junk: (i * 7) % 50 }]),
    ),
  }
  const knownDomains = [...policy.ownDomains, ...correspondents.map(({ domain }) => domain)]
  const judge = async (raw: Buffer) => {
    const parsed = await parseMessage(raw)
    if (!parsed.ok) return
    const message = parsed.value
    const sender = senderFacts(message, null, policy)
    const evidence = [
      ...weighMessage({
        message,
        sender,
        context: { policy, knowledge: nobody, text, knownDomains, recipients: 1, receivedAt: Date.now() },
      }),
      ...weighForMailbox(1),
    ]
    decide(
      {
        sender,
        harm: findHarm(message.attachments, policy.forbidden),
        score: junkScore(evidence),
        bulk: isBulk(message),
        unreadable: false,
      },
      { mailboxId: 1, limits, usesSetAside: true, filtering: true },
      { organisation: [], mailbox: [] },
      { policy, now: Date.now() },
    )
  }
  const each = (work: (raw: Buffer) => Promise<unknown>) => async () => {
    for (const raw of raws) await work(raw)
  }
  const [ours = 0, bare = 1] = await inTurns(
    7,
    each(judge),
    each(raw =>
      simpleParser(raw, {
        skipHtmlToText: true,
        skipTextToHtml: true,
        skipImageLinks: true,
        skipTextLinks: true,
      }),
    ),
  )
  return {
    title: 'Judging',
    rows: [
      atMost(`Reading and judging ${raws.length} messages`, ours, bare, 3, 'mailparser alone, same bytes'),
    ],
    notes: '',
  }
}
