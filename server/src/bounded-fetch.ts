/** Fetches without following anybody elsewhere, and reads so many bytes at most. @throws What `tooLarge` makes, for a longer answer. */
export const boundedFetch =
  (mostBytes: number, tooLarge: () => Error) =>
  async (url: string, options: object): Promise<Response> => {
    const response = await fetch(url, { ...options, redirect: 'manual' } as RequestInit)
    const parts: Uint8Array[] = []
    let size = 0
    for await (const part of response.body ?? []) {
      size += (part as Uint8Array).length
      if (size > mostBytes) throw tooLarge()
      parts.push(part as Uint8Array)
    }
    const hasBody = ![101, 204, 205, 304].includes(response.status)
    const { status, headers } = response
    return new Response(hasBody ? Buffer.concat(parts) : null, { status, headers })
  }
