const faults = {
  changed: ({ entryId }) => `Entry ${entryId} is not what was sealed.`,
  missing: ({ entryId }) => `Entry ${entryId} was taken out.`,
  gap: ({ seq }) => `Seal ${seq} was taken out.`,
  unsealed: ({ entryId }) => `Entry ${entryId} is neither sealed nor waiting to be.`,
  'other-head': () =>
    'The chain does not contain this head. It was made anew after the head was written down.',
}

/** What `npm start`, the filling of the demo and the check of the record say, in one place. */
export const words = {
  unknownOption: given => `npm start takes only --empty, not ${given}.`,
  running: ({ url, smtpPort, seconds }) =>
    `Pendro is running at ${url} and accepts mail on port ${smtpPort} (ready in ${seconds} s).`,
  store: url => `The stand-in mail store shows what it has at ${url}.`,
  realStore: port =>
    `A real mail store runs; IMAP is at 127.0.0.1:${port}, and each colleague’s password is harbour-demo.`,
  empty: 'It is empty. Open the address to set it up.',
  signIns: 'Sign in as:',
  signIn: ({ signIn, password, role }) => `  ${signIn.padEnd(4)} ${password.padEnd(14)} ${role}`,
  ownPage: ({ url, address, password }) => `A colleague’s own page is at ${url}: ${address}, ${password}`,
  trickle: 'New mail trickles in. PENDRO_TRICKLE=off starts without it.',
  stop: 'Ctrl-C stops everything.',
  ended: (what, code) => `${what} has ended (${code ?? 'killed'}). Stopping the rest.`,
  interruptedFill:
    'Filling the demo was interrupted. Remove the data folder (or the database) and start again.',
  installing: what => `Installing ${what} …`,
  building: 'Building the web part …',
  buildingServer: 'Building the server …',
  missing: what => `Missing: ${what}. Install them, or set DATABASE_URL to use another MariaDB.`,
  pathTooLong: folder =>
    `The data folder’s path is too long for a socket: ${folder}. Set PENDRO_DATA to a shorter one.`,
  databaseFailed: log => `MariaDB did not start. The end of its log: ${log}`,
  stafferUsage:
    'npm run staffer -- list shows who works with Pendro. npm run staffer -- reset NAME gives somebody a new password, takes their second factors away and lets them in.',
  staffer: ({ signIn, name, role, departments, suspendedAt }) =>
    `${signIn.padEnd(20)} ${name}, ${role}${departments ? ` of ${departments.join(', ')}` : ''}${suspendedAt ? ', suspended' : ''}`,
  stafferUnknown: name =>
    `Nobody signs in as ${name}. npm run staffer -- list shows who does; after npm start -- --empty, set PENDRO_DATABASE=pendro_empty.`,
  stafferReset: ({ name, password }) =>
    `The new password of ${name}: ${password}\nIt counts for 24 hours even where passwords are switched off. Second factors are gone, all devices are signed out. This stands in the record.`,
  recordUsage:
    'npm run record -- verify [HEAD] checks the record. HEAD is a hash of 64 digits from a log line “head of the record”.',
  recordRead: ({ sealed, waiting, head }) =>
    `Sealed entries: ${sealed}. Not sealed yet: ${waiting}. Head: ${head ? head.hash : 'none'}.`,
  recordHolds:
    'The entries in the record fit together. That does not rule out that its end was cut off or the whole chain made anew. To rule that out as well, give a head from your log.',
  recordHoldsFrom: head =>
    `The record holds, and nothing up to head ${head.slice(0, 12)}… has changed since it was logged.`,
  recordFault: fault => `THE RECORD WAS CHANGED. ${faults[fault.kind](fault)}`,
}
