/** What `npm start` and the filling of the demo say, in one place. */
export const words = {
  unknownOption: given => `npm start takes only --empty, not ${given}.`,
  running: ({ url, smtpPort, seconds }) =>
    `Pendro is running at ${url} and accepts mail on port ${smtpPort} (ready in ${seconds} s).`,
  store: url => `The stand-in mail store shows what it has at ${url}.`,
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
  missing: what => `Missing: ${what}. Install them, or set DATABASE_URL to use another MariaDB.`,
  pathTooLong: folder =>
    `The data folder’s path is too long for a socket: ${folder}. Set PENDRO_DATA to a shorter one.`,
  databaseFailed: log => `MariaDB did not start. The end of its log: ${log}`,
}
