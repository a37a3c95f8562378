/** What can be done about what a server said or did not say; each is a text of the wording. */
export const advices = [
  'name-unknown',
  'nobody-listens',
  'no-answer',
  'no-tls',
  'certificate',
  'sign-in',
  'not-let-in',
  'come-again',
  'full',
  'too-large',
  'nobody-there',
  'held-for-junk',
  'went-away',
  'other',
] as const
/** One of {@link advices}. */
export type Advice = (typeof advices)[number]

/** The first that fits. Words of Node and of the SMTP library for what went wrong before a reply; then replies by RFC 5321 §4.2 and RFC 3463 §3. */
const signs: readonly (readonly [RegExp, Advice])[] = [
  [/ENOTFOUND|EAI_AGAIN|EDNS|ENODATA|queryA\b/, 'name-unknown'],
  [/ECONNREFUSED/, 'nobody-listens'],
  [/ETIMEDOUT|Connection timeout|Greeting never received|EHOSTUNREACH|ENETUNREACH|^Timeout\b/, 'no-answer'],
  [/STARTTLS|Error initiating TLS|wrong version number|EPROTO\b|ssl3_get_record/i, 'no-tls'],
  [/certificate|Hostname\/IP does not match|altnames|self[- ]signed|unable to verify|issuer/i, 'certificate'],
  [/^53[45]\b|\b5\.7\.8\b|Invalid login|Missing credentials|AUTH\b/, 'sign-in'],
  [/\b[45]\.2\.2\b|^452\b.*(?:space|storage|quota)/i, 'full'],
  [/^552\b|\b5\.3\.4\b/, 'too-large'],
  [
    /^55[03]\b.*\b5\.1\.[0-9]+\b|^55[01] (?!5\.7)(?:.*\b(?:no such|unknown|nobody|user|mailbox)\b)/i,
    'nobody-there',
  ],
  [/\b5\.7\.\d+\b.*\b(?:spam|junk|content|blocked)\b/i, 'held-for-junk'],
  [/^5(?:30|50|54)\b.*\b5\.7\.\d+\b|relay/i, 'not-let-in'],
  [/^4\d\d\b/, 'come-again'],
  [/ECONNRESET|EPIPE|closed unexpectedly|Server closed|socket/i, 'went-away'],
]

/**
 * What can be done about what went wrong at a server.
 * @param problem Its reply, or the words of whoever tried.
 */
export const adviceFor = (problem: string): Advice =>
  signs.find(([sign]) => sign.test(problem.slice(0, 1000)))?.[1] ?? 'other'
