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
