import { describe, expect, test } from 'vitest'
import { adviceFor, readDomain, type DomainRecords, type Found } from '@pendro/core/doors'

const found = <T>(...values: T[]): Found<T> => ({ state: 'found', values })
const none = { state: 'none' } as const
const failed = { state: 'failed' } as const
const nothing: DomainRecords = { mx: none, txt: none, dmarc: none, keys: [] }
const says = (records: Partial<DomainRecords>) => readDomain({ ...nothing, ...records })

describe('who may send for a domain, by the records of RFC 7208', () => {
  test.each<[what: string, txt: Found<string>, state: string]>([
    ['§A.1', found('v=spf1 +all'), 'open'],
    ['§A.1', found('v=spf1 a -all'), 'strict'],
    ['§A.1', found('v=spf1 a:example.org -all'), 'strict'],
    ['§A.1', found('v=spf1 mx:example.org -all'), 'strict'],
    ['§A.1', found('v=spf1 mx/30 mx:example.org/30 -all'), 'strict'],
    ['§A.1', found('v=spf1 ptr -all'), 'strict'],
    ['§A.1', found('v=spf1 ip4:192.0.2.128/28 -all'), 'strict'],
    ['§A.2', found('v=spf1 include:example.com include:example.net -all'), 'strict'],
    ['§A.2', found('v=spf1 redirect=example.com'), 'elsewhere'],
    ['§A.3', found('v=spf1 mx -all', 'another text'), 'strict'],
    ['softly', found('v=spf1 mx ~all'), 'soft'],
    ['in doubt', found('v=spf1 mx ?all'), 'neutral'],
    ['§4.7: no last word', found('v=spf1 mx'), 'neutral'],
    ['§6.1: all makes redirect count for nothing', found('v=spf1 -all redirect=example.com'), 'strict'],
    ['§4.5: a version that only begins alike', found('v=spf10 -all'), 'none'],
    ['the version alone', found('v=spf1'), 'neutral'],
    ['upper case', found('V=SPF1 MX -ALL'), 'strict'],
    ['§4.5: two of them', found('v=spf1 -all', 'v=spf1 mx ~all'), 'several'],
    ['a word that is none', found('v=spf1 mx everybody -all'), 'broken'],
    ['§12: an unknown modifier', found('v=spf1 mx moo=cow -all'), 'strict'],
    ['IPv6', found('v=spf1 ip6:2001:db8::/32 -all'), 'strict'],
    ['an include without a domain', found('v=spf1 include: -all'), 'broken'],
    ['other texts', found('some words'), 'none'],
    ['nothing', none, 'none'],
    ['nobody could say', failed, 'unknown'],
  ])('%s', (_, txt, state) => {
    expect(says({ txt }).spf.state).toBe(state)
  })
})

describe('what receivers are asked to do, by RFC 7489', () => {
  test.each<[what: string, dmarc: Found<string>, state: string, share: number]>([
    ['§B.2.1', found('v=DMARC1; p=none; rua=mailto:dmarc-feedback@example.com'), 'watching', 100],
    [
      '§B.2.4',
      found('v=DMARC1; p=quarantine; rua=mailto:dmarc-feedback@example.com; pct=25'),
      'quarantine',
      25,
    ],
    ['all of it', found('v=DMARC1; p=reject; pct=100'), 'reject', 100],
    ['upper case', found('v=DMARC1; p=REJECT'), 'reject', 100],
    ['a share that is none', found('v=DMARC1; p=reject; pct=101'), 'reject', 100],
    ['§6.6.3: no policy, but where reports go', found('v=DMARC1; rua=mailto:a@example.com'), 'watching', 100],
    ['no policy at all', found('v=DMARC1'), 'broken', 100],
    ['§6.3: the version has to come first and so', found('p=reject; v=DMARC1'), 'none', 100],
    ['another version', found('v=DMARC2; p=reject'), 'none', 100],
    ['§6.6.3: two of them', found('v=DMARC1; p=none', 'v=DMARC1; p=reject'), 'several', 100],
    ['nobody could say', failed, 'unknown', 100],
  ])('%s', (_, dmarc, state, share) => {
    expect(says({ dmarc }).dmarc).toMatchObject({ state, share })
  })
})

test.each<[what: string, mx: DomainRecords['mx'], want: object]>([
  [
    'in their order (RFC 5321 §5.1)',
    found(
      { exchange: 'mx2.Harbour.example.', priority: 20 },
      { exchange: 'mx1.harbour.example', priority: 10 },
    ),
    { state: 'found', hosts: ['mx1.harbour.example', 'mx2.harbour.example'] },
  ],
  ['none is taken (RFC 7505)', found({ exchange: '.', priority: 0 }), { state: 'null-mx', hosts: [] }],
  ['none is named', none, { state: 'none', hosts: [] }],
  ['nobody could say', failed, { state: 'unknown', hosts: [] }],
])('where mail goes: %s', (_, mx, want) => {
  expect(says({ mx }).mx).toEqual(want)
})

test.each<[what: string, txt: Found<string>, state: string]>([
  ['RFC 6376 §A.2', found('v=DKIM1; p=MIGfMA0GCSqGSIb3DQEBAQUAA4GNADCBiQ'), 'found'],
  ['without a version (§3.6.1: recommended only)', found('k=rsa; p=MIGf'), 'found'],
  ['RFC 8463 §A.2', found('v=DKIM1; k=ed25519; p=11qYAYKxCrfVS/7TyWQHOg7hcvPapiMlrwIaaPcHURo='), 'found'],
  ['taken back (§3.6.1)', found('v=DKIM1; p='), 'revoked'],
  ['being tried (t=y)', found('v=DKIM1; t=s:y; p=MIGf'), 'testing'],
  ['no key in it', found('v=DKIM1; k=rsa'), 'broken'],
  ['another version', found('v=DKIM2; p=MIGf'), 'broken'],
  ['not there', none, 'none'],
  ['nobody could say', failed, 'unknown'],
])('a key: %s', (_, txt, state) => {
  expect(says({ keys: [{ selector: 's', txt }] }).keys).toEqual([{ selector: 's', state }])
})

// Replies as RFC 5321 §4.2 and RFC 3463 have them, and Node's and the SMTP library's own words for what went wrong before one.
test.each<[problem: string, advice: string]>([
  ['getaddrinfo ENOTFOUND mail.harbour.example', 'name-unknown'],
  ['queryA ENOTFOUND mail.harbour.example', 'name-unknown'],
  ['getaddrinfo EAI_AGAIN mail.harbour.example', 'name-unknown'],
  ['connect ECONNREFUSED 127.0.0.1:25', 'nobody-listens'],
  ['connect ETIMEDOUT 192.0.2.1:25', 'no-answer'],
  ['connect EHOSTUNREACH 192.0.2.1:25', 'no-answer'],
  ['Connection timeout', 'no-answer'],
  ['Greeting never received', 'no-answer'],
  ['Timeout', 'no-answer'],
  ['Error upgrading connection with STARTTLS', 'no-tls'],
  ['Error initiating TLS - 0A00010B:SSL routines:ssl3_get_record:wrong version number', 'no-tls'],
  ['self-signed certificate', 'certificate'],
  ['self-signed certificate in certificate chain', 'certificate'],
  ['unable to verify the first certificate', 'certificate'],
  ['certificate has expired', 'certificate'],
  [
    "Hostname/IP does not match certificate's altnames: Host: a. is not in the cert's altnames: DNS:b",
    'certificate',
  ],
  ['535 5.7.8 Error: authentication failed', 'sign-in'],
  ['534 5.7.9 Please log in with another mechanism', 'sign-in'],
  ['Missing credentials for "PLAIN"', 'sign-in'],
  ['554 5.7.1 <a@x.example>: Relay access denied', 'not-let-in'],
  ['550 5.7.1 Unable to relay', 'not-let-in'],
  ['530 5.7.0 Must issue a STARTTLS command first', 'no-tls'],
  ['554 5.7.1 Message looks like spam', 'held-for-junk'],
  ['550 5.1.1 <nobody@x.example>: Recipient address rejected: User unknown', 'nobody-there'],
  ['550 No such user here', 'nobody-there'],
  ['552 5.2.2 Mailbox full', 'full'],
  ['452 4.2.2 Over quota', 'full'],
  ['452 Insufficient system storage', 'full'],
  ['552 5.3.4 Message too big', 'too-large'],
  ['450 4.2.0 Greylisted, come back in 5 minutes', 'come-again'],
  ['421 4.7.0 Too many connections', 'come-again'],
  ['read ECONNRESET', 'went-away'],
  ['Connection closed unexpectedly', 'went-away'],
  ['', 'other'],
  ['Something nobody has seen', 'other'],
])('what can be done about “%s”', (problem, advice) => {
  expect(adviceFor(problem)).toBe(advice)
})
