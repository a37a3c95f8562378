declare module 'unhomoglyph' {
  export default function unhomoglyph(text: string): string
}

declare module 'tr46' {
  interface Options {
    checkBidi?: boolean
    checkHyphens?: boolean
    checkJoiners?: boolean
    useSTD3ASCIIRules?: boolean
    verifyDNSLength?: boolean
    transitionalProcessing?: boolean
  }
  export function toASCII(domain: string, options?: Options): string | null
  export function toUnicode(domain: string, options?: Options): { domain: string; error: boolean }
}

declare module 'mailauth/lib/arc/index.js' {
  export interface Chain {
    chain?: readonly unknown[] | false
    lastEntry?: {
      'arc-seal'?: { parsed?: { d?: { value?: string } } }
      'arc-message-signature'?: { parsed?: { h?: { value?: string }; l?: object } }
      'arc-authentication-results'?: { original?: Buffer }
    }
  }
  export function arc(
    chain: Chain,
    options: { resolver: (name: string, type: string) => Promise<unknown> },
  ): Promise<{ status: { result: string; comment?: string } }>
}

declare module 'mailauth/lib/dkim/verify.js' {
  export function dkimVerify(
    input: Buffer,
    options: { resolver: (name: string, type: string) => Promise<unknown>; curTime: Date },
  ): Promise<{
    arc?: import('mailauth/lib/arc/index.js').Chain
    results: readonly {
      signature?: string
      signingDomain?: string
      selector?: string
      algo?: string
      status: { result: string; comment?: string }
    }[]
  }>
}
