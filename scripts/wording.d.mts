export const words: { readonly interruptedFill: string }
