/** Doors on loopback at ports of their own, without TLS: what a test does not say. */
export const doorSettings = {
  PENDRO_HOST: '127.0.0.1',
  PENDRO_SMTP_HOST: '',
  PENDRO_SMTP_PORT: 0,
  PENDRO_SMTPS_PORT: '',
  PENDRO_SMTP_TLS: 'offered',
  PENDRO_SMTP_PROXIES: '',
  PENDRO_SUBMISSION_PORT: '',
  PENDRO_SUBMISSIONS_PORT: '',
  PENDRO_SUBMISSION_USER: '',
  PENDRO_SUBMISSION_PASSWORD: '',
  PENDRO_TLS_CERT: '',
  PENDRO_TLS_KEY: '',
} as const
