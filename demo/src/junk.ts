import type { Attached, Draft, Proof } from './letter.ts'
import type { Colleague } from './organisation.ts'
import type { Chance } from './random.ts'
import { correspondents, fill } from './wanted.ts'

type Language = 'en' | 'nb' | 'de' | 'pl'

/** One kind of unwanted mail: who it says it is, what it says, and by which tricks. All invented. */
export interface JunkKind {
  readonly key: string
  /** Name and address; `{d}` in the address becomes one of the kind's domains, `{r}` a random word. */
  readonly from: readonly (readonly [string, string])[]
  readonly domains: readonly string[]
  /** Subject, text; and where there is HTML a link's text and target. */
  readonly texts: Readonly<
    Partial<Record<Language, readonly (readonly [string, string, (readonly [string, string])?])[]>>
  >
  readonly proof: readonly Proof[]
  readonly replyTo?: string
  readonly bulk?: boolean
  readonly hidden?: string
  readonly attach?: (chance: Chance) => Attached
  readonly noMessageId?: boolean
  /** Minutes the Date field is wrong by. */
  readonly clockOff?: number
  /** Sent to many colleagues with the same words. */
  readonly campaign: boolean
  /** How often, against the other kinds. */
  readonly weight: number
  readonly verdict: 'junk' | 'phishing'
}

const words =
  'amber birch cobalt delta ember frost grove hazel iris juniper kelp linden maple north opal pine quartz reed sable thorn umber velvet willow zephyr'.split(
    ' ',
  )

/** First bytes of a Windows program and nothing that could run. */
const programBytes = () =>
  Buffer.concat([
    Buffer.from('MZ'),
    Buffer.alloc(58),
    Buffer.from([0x40, 0, 0, 0]),
    Buffer.from('PE\0\0harmless made-up bytes'),
  ])
/** A local file header with the encryption bit set (PKWARE APPNOTE 4.4.4), and nothing behind it. */
export const lockedArchive = () =>
  Buffer.concat([
    Buffer.from([0x50, 0x4b, 3, 4, 20, 0, 1, 0, 0, 0]),
    Buffer.alloc(20),
    Buffer.from('scan.pdf made-up bytes'),
  ])
export const plainArchive = () =>
  Buffer.concat([
    Buffer.from([0x50, 0x4b, 3, 4, 20, 0, 0, 0, 0, 0]),
    Buffer.alloc(20),
    Buffer.from('papers.pdf made-up bytes'),
  ])

export const junkKinds: readonly JunkKind[] = [
  {
    key: 'parcel',
    campaign: true,
    weight: 14,
    verdict: 'phishing',
    proof: ['none', 'fail'],
    from: [
      ['Parcel Desk', 'notice@{d}'],
      ['Pakkesentralen', 'pakke@{d}'],
      ['Paketstelle', 'paket@{d}'],
      ['Punkt paczek', 'paczka@{d}'],
    ],
    domains: ['parcel-fees.example', 'pakke-gebyr.example', 'track-amber.example', 'delivery-hold.example'],
    texts: {
      en: [
        [
          'Your parcel is waiting: pay the {sum} fee today',
          'Dear customer,\n\nyour parcel {code} is held at our depot because a customs fee is unpaid. Pay the small fee within 24 hours or the parcel goes back.\n\nTrack and pay here:',
          ['www.parcel-desk.example/pay', 'http://192.0.2.77/pay/{code}'],
        ],
        [
          'Delivery failed: confirm your address',
          'Dear customer,\n\nwe tried to deliver parcel {code} and nobody was there. Confirm your address and card now to choose a new time. Your parcel will be destroyed after 48 hours.',
          ['www.parcel-desk.example', 'https://track-amber.example/{code}'],
        ],
      ],
      nb: [
        [
          'Pakken din venter: betal gebyret i dag',
          'Kjære kunde,\n\npakken {code} holdes tilbake fordi tollgebyret ikke er betalt. Betal innen 24 timer, ellers sendes pakken i retur.\n\nBetal her:',
          ['www.pakkesentralen.example', 'http://198.51.100.23/betal'],
        ],
      ],
      de: [
        [
          'Ihr Paket wartet: Gebühr heute zahlen',
          'Sehr geehrter Kunde,\n\nIhr Paket {code} wird wegen einer offenen Zollgebühr zurückgehalten. Zahlen Sie innerhalb von 24 Stunden, sonst geht es zurück.',
          ['www.paketstelle.example', 'http://203.0.113.9/zahlen'],
        ],
      ],
      pl: [
        [
          'Twoja paczka czeka: zapłać dziś',
          'Drogi kliencie,\n\npaczka {code} została zatrzymana z powodu nieopłaconego cła. Zapłać w ciągu 24 godzin, inaczej paczka wróci.',
          ['www.punkt-paczek.example', 'http://192.0.2.140/zaplac'],
        ],
      ],
    },
  },
  {
    key: 'payslip',
    campaign: true,
    weight: 7,
    verdict: 'phishing',
    proof: ['pass', 'none'],
    clockOff: -5000,
    from: [
      ['Vindholm payroll', 'payroll@{d}'],
      ['vindh0lm-payroll', 'hr@{d}'],
    ],
    domains: ['vindh0lm.example', 'vindholm-payroll.example', 'vlndholm.example'],
    texts: {
      en: [
        [
          'Payslip correction, sign in within 24 hours',
          'Dear employee,\n\nyour payslip of this month contains an error. Sign in with your mail password within 24 hours to confirm your bank account, or your salary will be delayed.',
          ['portal.vindholm.example', 'https://vindh0lm.example/login/{code}'],
        ],
      ],
      nb: [
        [
          'Feil på lønnsslippen, logg inn innen 24 timer',
          'Kjære medarbeider,\n\nlønnsslippen din inneholder en feil. Logg inn med e-postpassordet for å bekrefte kontonummeret, ellers blir lønnen forsinket.',
          ['portal.vindholm.example', 'https://vlndholm.example/logg-inn'],
        ],
      ],
    },
  },
  {
    key: 'mailbox-full',
    campaign: true,
    weight: 9,
    verdict: 'phishing',
    proof: ['fail'],
    from: [
      ['Vindholm mail administrator', 'admin@vindholm.example'],
      ['IT Support', 'support@vindholm.example'],
      ['Mail quota', 'quota@{d}'],
    ],
    domains: ['mail-quota.example', 'account-check.example'],
    texts: {
      en: [
        [
          'Your mailbox is almost full: verify your account',
          'Your mailbox has used 98 % of its storage. Verify your account and password now to keep receiving mail. Accounts that are not verified will be closed today.',
          ['https://mail.vindholm.example', 'https://account-check.example/verify/{code}'],
        ],
        [
          'Password expires today',
          'The password of your account expires today. Click below to keep the same password. Failure to verify will lock your account.',
          ['Keep my password', 'http://198.51.100.200/keep'],
        ],
      ],
      de: [
        [
          'Ihr Postfach ist fast voll: Konto bestätigen',
          'Ihr Postfach ist zu 98 % belegt. Bestätigen Sie jetzt Konto und Passwort, sonst wird das Konto heute geschlossen.',
          ['https://mail.vindholm.example', 'https://account-check.example/de'],
        ],
      ],
    },
  },
  {
    key: 'chief',
    campaign: false,
    weight: 5,
    verdict: 'phishing',
    proof: ['pass'],
    replyTo: 'office-{r}@mailbox-quick.example',
    from: [['{colleague}', '{r}.{n}@freepost.example']],
    domains: ['freepost.example'],
    texts: {
      en: [
        [
          'Are you at your desk?',
          'I am in a meeting and can’t take calls. I need you to buy gift cards for a customer, urgent and confidential. Answer this mail only and I will tell you what to do.',
        ],
        [
          'Urgent payment before noon',
          'Please arrange an urgent transfer to a new account today. It is confidential. Reply here only, I am in a meeting.',
        ],
      ],
      nb: [
        [
          'Er du på kontoret?',
          'Jeg sitter i et møte og kan ikke snakke. Kan du ordne en overføring i dag? Det er fortrolig og haster. Svar bare her.',
        ],
      ],
    },
  },
  {
    key: 'invoice-macro',
    campaign: true,
    weight: 6,
    verdict: 'phishing',
    proof: ['none', 'fail'],
    noMessageId: true,
    from: [
      ['Accounts {r}', 'accounts@{d}'],
      ['Billing {r}', 'billing@{d}'],
    ],
    domains: ['ledger-{r}.example', 'bill-{r}.example'],
    texts: {
      en: [
        [
          'Overdue invoice {code}, final notice',
          'Dear Sir or Madam,\n\nthe attached invoice {code} is overdue. Open the document and enable its content to see the amount. Legal action follows after 48 hours.',
        ],
      ],
      de: [
        [
          'Mahnung {code}, letzte Aufforderung',
          'Sehr geehrte Damen und Herren,\n\ndie Rechnung im Anhang ist überfällig. Öffnen Sie das Dokument und aktivieren Sie die Inhalte, sonst folgen rechtliche Schritte.',
        ],
      ],
    },
    attach: chance => ({
      name: `invoice-${chance.between(1000, 9999)}.docm`,
      type: 'application/vnd.ms-word.document.macroEnabled.12',
      content: plainArchive(),
    }),
  },
  {
    key: 'program',
    campaign: true,
    weight: 6,
    verdict: 'phishing',
    proof: ['none', 'fail'],
    from: [
      ['Freight Documents', 'docs@{d}'],
      ['Scanner', 'scan@{d}'],
    ],
    domains: ['docs-{r}.example', 'scan-{r}.example'],
    texts: {
      en: [
        [
          'Shipping documents {code}',
          'Please find the shipping documents attached. Open the file to view them.',
        ],
        ['Scan from device {n}', 'You have received a scanned document. Open the attached file.'],
      ],
    },
    attach: chance =>
      chance.pick([
        { name: 'documents.pdf.exe', type: 'application/pdf', content: programBytes() },
        {
          name: `scan-${chance.between(100, 999)}.exe`,
          type: 'application/octet-stream',
          content: programBytes(),
        },
        {
          name: 'bill-of-lading.js',
          type: 'text/javascript',
          content: Buffer.from('// made-up, harmless\n'),
        },
      ]),
  },
  {
    key: 'locked-archive',
    campaign: false,
    weight: 3,
    verdict: 'phishing',
    proof: ['none', 'fail'],
    from: [['{r} trading', 'office@{d}']],
    domains: ['trade-{r}.example'],
    texts: {
      en: [
        [
          'Purchase order {code}, password inside',
          'Dear partner,\n\nour purchase order is in the attached archive. The password is {n}{n}. Open it and confirm the price today.',
        ],
      ],
    },
    attach: () => ({ name: 'order.zip', type: 'application/zip', content: lockedArchive() }),
  },
  {
    key: 'inheritance',
    campaign: false,
    weight: 7,
    verdict: 'junk',
    proof: ['pass', 'none'],
    replyTo: 'barrister.{r}@mailbox-quick.example',
    clockOff: 6000,
    from: [
      ['Barrister {r}', '{r}{n}@freepost.example'],
      ['Mrs. {r}', '{r}.{n}@quickpost.example'],
    ],
    domains: ['freepost.example'],
    texts: {
      en: [
        [
          'Confidential business proposal',
          'Dear beloved friend,\n\nI am a barrister and represent a late client who left {n} million dollars without an heir. I seek your assistance to transfer the fund. You will receive forty percent. Reply with your bank details in strict confidence.',
        ],
        [
          'You have won the {n} million lottery',
          'Congratulations! Your e-mail address has won the international lottery. Claim your prize now: send your name, address and bank account to our agent.',
        ],
      ],
      pl: [
        [
          'Poufna propozycja',
          'Drogi przyjacielu,\n\nmój zmarły klient zostawił {n} milionów dolarów. Szukam pomocy w przelewie. Otrzymasz czterdzieści procent. Proszę podać numer konta.',
        ],
      ],
    },
  },
  {
    key: 'health',
    campaign: true,
    weight: 12,
    verdict: 'junk',
    proof: ['none', 'fail'],
    hidden:
      'the tide was low and the gulls were walking on the sand while somebody mended a net and spoke of the weather of last year',
    from: [
      ['{r} Health', 'offer@{d}'],
      ['Doctor {r}', 'care@{d}'],
    ],
    domains: ['{r}-pills.example', 'slim-{r}.example', 'cheap-{r}-meds.example'],
    texts: {
      en: [
        [
          'Lose {n} pounds in two weeks',
          'Amazing new pills melt fat while you sleep. No diet, no exercise. Order now with a {n} % discount, limited offer. Click here before midnight.',
          ['Order now', 'https://slim-{r}.example/buy'],
        ],
        [
          'Cheap meds without a prescription',
          'Best prices for pills, discreet shipping, no prescription. Save {n} % today only. Click to buy.',
          ['Click to buy', 'https://cheap-{r}-meds.example/{code}'],
        ],
      ],
      nb: [
        [
          'Gå ned {n} kilo på to uker',
          'Fantastiske nye piller smelter fett mens du sover. Bestill nå med {n} % rabatt, tilbudet gjelder bare i dag. Klikk her.',
          ['Bestill nå', 'https://slim-{r}.example/no'],
        ],
      ],
      de: [
        [
          '{n} Kilo in zwei Wochen',
          'Neue Pillen schmelzen das Fett im Schlaf. Jetzt bestellen mit {n} % Rabatt, nur heute. Hier klicken.',
          ['Jetzt bestellen', 'https://slim-{r}.example/de'],
        ],
      ],
    },
  },
  {
    key: 'coins',
    campaign: true,
    weight: 10,
    verdict: 'junk',
    proof: ['none', 'pass'],
    clockOff: -4000,
    from: [
      ['{r} Invest', 'profit@{d}'],
      ['Wealth {r}', 'vip@{d}'],
    ],
    domains: ['coin-{r}.example', 'invest-{r}.example'],
    texts: {
      en: [
        [
          'Turn 250 into {n},000 this week',
          'Our secret trading robot earns guaranteed profit every day. Join now, bonus for the first hundred. Act fast, limited offer. Click to start earning.',
          ['Start earning', 'https://coin-{r}.example/join'],
        ],
      ],
      de: [
        [
          'Aus 250 werden {n}.000',
          'Unser Handelsroboter verdient garantiert Gewinn, jeden Tag. Jetzt mitmachen, Bonus für die ersten hundert. Hier klicken.',
          ['Mitmachen', 'https://coin-{r}.example/de'],
        ],
      ],
      pl: [
        [
          'Zamień 250 w {n} tysięcy',
          'Nasz robot zarabia gwarantowany zysk każdego dnia. Dołącz teraz, bonus dla pierwszych stu. Kliknij tutaj.',
          ['Dołącz', 'https://coin-{r}.example/pl'],
        ],
      ],
    },
  },
  {
    key: 'rankings',
    campaign: false,
    weight: 10,
    verdict: 'junk',
    proof: ['pass', 'aligned', 'none'],
    from: [
      ['Growth team {r}', 'hello@{d}'],
      ['{r} from outreach', 'team@{d}'],
    ],
    domains: ['rank-{r}.example', 'outreach-{r}.example', 'leads-{r}.example'],
    texts: {
      en: [
        [
          'Quick question about your website',
          'Hi,\n\nI looked at your website and found {n} errors that hurt your ranking. We guarantee first page results and cheap leads. Can I send you a quote? No obligation.',
          ['See the report', 'https://rank-{r}.example/report'],
        ],
        [
          'Following up on my last mail',
          'Hi,\n\njust bumping this to the top of your inbox. We sell verified contact lists of ferry passengers, {n},000 leads, cheap. Interested?',
          ['Our offer', 'https://leads-{r}.example/offer'],
        ],
      ],
    },
  },
  {
    key: 'bargain',
    campaign: true,
    weight: 18,
    verdict: 'junk',
    proof: ['pass'],
    bulk: true,
    from: [
      ['Bargain Fleet', 'deals@bargainfleet.example'],
      ['Promo Harbour', 'news@{r}.promo-harbour.example'],
      ['Outlet Pier', 'sale@outlet-pier.example'],
    ],
    domains: ['bargainfleet.example'],
    texts: {
      en: [
        [
          'Only today: {n} % off everything',
          'Huge sale! Watches, sunglasses, tools, up to {n} % discount. Limited offer, free shipping, order now. Click before midnight.',
          ['Shop the sale', 'https://click.bargainfleet.example/{code}'],
        ],
        [
          'Last chance: your voucher expires',
          'Your exclusive voucher expires at midnight. Save {n} % on everything, order now, free shipping.',
          ['Use my voucher', 'https://go.outlet-pier.example/{code}'],
        ],
      ],
      nb: [
        [
          'Bare i dag: {n} % på alt',
          'Kjempesalg! Klokker, solbriller og verktøy med opptil {n} % rabatt. Gratis frakt, bestill nå. Klikk før midnatt.',
          ['Til salget', 'https://click.bargainfleet.example/no'],
        ],
      ],
      de: [
        [
          'Nur heute: {n} % auf alles',
          'Riesiger Ausverkauf! Uhren, Sonnenbrillen und Werkzeug mit bis zu {n} % Rabatt. Versand frei, jetzt bestellen.',
          ['Zum Ausverkauf', 'https://click.bargainfleet.example/de'],
        ],
      ],
    },
  },
  {
    key: 'toner',
    campaign: false,
    weight: 8,
    verdict: 'junk',
    proof: ['aligned', 'none'],
    bulk: true,
    from: [['{r} Office Supply', 'sales@{d}']],
    domains: ['toner-{r}.example', 'supply-{r}.example'],
    texts: {
      en: [
        [
          'Toner and office chairs at factory price',
          'Dear purchaser,\n\nwe are a factory and offer toner, chairs and lamps at the best price. Minimum order {n} pieces, free samples. Please send your inquiry.',
        ],
        [
          'Your supplier of LED lamps',
          'Dear manager,\n\nglad to know you are in the market for lamps. Best price from our factory, fast shipping. Waiting for your inquiry.',
        ],
      ],
      pl: [
        [
          'Tonery w cenie fabrycznej',
          'Szanowni Państwo,\n\noferujemy tonery i krzesła w cenie fabrycznej, najlepsza cena, szybka dostawa. Zamów już dziś.',
        ],
      ],
    },
  },
  {
    key: 'romance',
    campaign: false,
    weight: 5,
    verdict: 'junk',
    proof: ['pass', 'none'],
    from: [['{r}', '{r}{n}@quickpost.example']],
    domains: ['quickpost.example'],
    texts: {
      en: [
        [
          'hello dear',
          'Hello dear, I saw your profile and like you. I am lonely and looking for a serious man. See my pictures and write to me.',
          ['my pictures', 'https://meet-{r}.example/{code}'],
        ],
      ],
      nb: [
        [
          'hei du',
          'Hei, jeg så profilen din og liker deg. Jeg er ensom. Se bildene mine og skriv til meg.',
          ['bildene mine', 'https://meet-{r}.example/no'],
        ],
      ],
    },
  },
]

export function pickKind(chance: Chance): JunkKind {
  const total = junkKinds.reduce((sum, { weight }) => sum + weight, 0)
  let rest = chance.next() * total
  for (const kind of junkKinds) {
    rest -= kind.weight
    if (rest < 0) return kind
  }
  return junkKinds[0] as JunkKind
}

/** What stays the same for all letters of one campaign. */
export interface Campaign {
  readonly kind: JunkKind
  readonly name: string
  readonly address: string
  readonly subject: string
  readonly text: string
  readonly link: readonly [string, string] | null
  readonly word: string
  readonly proof: Proof
  /** Ordinary words put under the text, so that it passes for an ordinary letter. */
  readonly cover: string
}

export function startCampaign(
  kind: JunkKind,
  language: string,
  chance: Chance,
  colleagues: readonly Colleague[],
): Campaign {
  const word = chance.pick(words)
  const boss = chance.pick(colleagues.filter(({ kind: k }) => k === 'person')).name
  const put = (text: string) =>
    fill(
      text
        .replaceAll('{d}', chance.pick(kind.domains))
        .replaceAll('{r}', word)
        .replaceAll('{colleague}', boss),
      chance,
    )
  const texts = kind.texts[language as Language] ?? kind.texts.en ?? []
  const [subject, text, link] = chance.pick(texts)
  const [name, address] = chance.pick(kind.from)
  const shownName = put(name)
  return {
    kind,
    name: shownName.charAt(0).toUpperCase() + shownName.slice(1),
    address: put(address),
    subject: put(subject),
    text: put(text),
    link: link ? [put(link[0]), put(link[1])] : null,
    word,
    cover: chance.happens(0.6) ? coverText(chance, language) : '',
    proof: chance.pick(kind.proof),
  }
}

/** A paragraph or two of the kind that correspondents write, stolen or made up by the sender. */
function coverText(chance: Chance, language: string): string {
  const same = correspondents.filter(who => who.language === language)
  const topics = (same.length > 0 ? same : correspondents).flatMap(who => who.topics)
  return chance
    .some(topics, 2)
    .map(([subject, text]) => fill(`${subject}. ${text}`, chance, { name: '', language }))
    .join('\n\n')
}

const escape = (text: string) => text.replace(/&/g, '&amp;').replace(/</g, '&lt;')

function htmlOf({ text, link, kind, cover }: Campaign, opening: string): string {
  const paragraphs = [opening, ...text.split('\n\n'), ...cover.split('\n\n')]
    .filter(part => part !== '')
    .map(part => `<p style="margin:0 0 12px">${escape(part)}</p>`)
  const button = link
    ? `<p><a href="${link[1]}" style="background:#b3261e;color:#ffffff;padding:10px 16px">${escape(link[0])}</a></p>`
    : ''
  const hidden = kind.hidden ? `<div style="display:none">${kind.hidden}</div>` : ''
  const picture = kind.bulk
    ? '<img src="https://img.bargainfleet.example/pixel.gif" width="1" height="1" alt="">'
    : ''
  return `<html><body style="font-family:Arial">${hidden}${paragraphs.join('')}${button}${picture}</body></html>`
}

/** One letter of a campaign to one or several colleagues. */
export function junkDraft(campaign: Campaign, to: readonly Colleague[], chance: Chance): Draft {
  const { kind, word } = campaign
  const first = to[0]?.name.split(' ')[0] ?? ''
  const opening = kind.campaign && chance.happens(0.5) ? `Hi ${first},` : ''
  const domain = campaign.address.split('@')[1] ?? ''
  return {
    from: { name: campaign.name, address: campaign.address },
    to: to.map(({ name, address }) => ({ name, address })),
    subject: campaign.subject,
    text: [opening, campaign.text, campaign.link?.[1] ?? '', campaign.cover]
      .filter(part => part !== '')
      .join('\n\n'),
    html: campaign.link || kind.hidden ? htmlOf(campaign, opening) : undefined,
    proof: campaign.proof,
    replyTo: kind.replyTo?.replaceAll('{r}', word),
    attachments: kind.attach ? [kind.attach(chance)] : undefined,
    messageId: kind.noMessageId ? null : undefined,
    clockOff: kind.clockOff,
    envelopeFrom: kind.bulk ? `bounce-${chance.between(1000, 9999)}@${domain}` : undefined,
    headers: kind.bulk ? { 'List-Unsubscribe': `<https://${domain}/off>`, Precedence: 'bulk' } : undefined,
  }
}
