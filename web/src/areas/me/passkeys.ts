import type {
  AuthenticationResponseJSON,
  PublicKeyCredentialCreationOptionsJSON,
  PublicKeyCredentialRequestOptionsJSON,
  RegistrationResponseJSON,
} from '@simplewebauthn/browser'
import type { z } from 'zod'
import type { newPasskey, usedPasskey } from '@pendro/contract'
import { Problem, problemOf } from '../../app/api.ts'

/** The server's library made the options, and the browser's reads them: what is between hands them on. */
export const asOptions = (options: object) =>
  options as PublicKeyCredentialCreationOptionsJSON & PublicKeyCredentialRequestOptionsJSON

/** The browser's answer, as the contract bounds it. */
export function asAnswer(answer: RegistrationResponseJSON): z.input<typeof newPasskey>
export function asAnswer(answer: AuthenticationResponseJSON): z.input<typeof usedPasskey>
export function asAnswer(answer: RegistrationResponseJSON | AuthenticationResponseJSON): unknown {
  return answer
}

/** What went wrong: in the words of the server, or, where the browser made nothing of it, in `cancelled`. */
export const sayPasskey = (error: unknown, cancelled: string): string =>
  error instanceof Problem ? problemOf(error).text : cancelled
