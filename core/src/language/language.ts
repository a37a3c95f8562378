/** Fewer letters say too little. */
const fewest = 60
/** More do not say it better. */
const read = 300
/** Languages of business mail. Of the others a few names or a rare run of letters would do to be taken for one. */
const known =
  'ar bg cs da de el en es et fa fi fr he hi hr hu id is it ja ko lt lv nl no pl pt ro ru sk sl sr sv th tr uk vi zh'.split(
    ' ',
  )

/** Its runs of letters take some 35 MB: only a thread that reads mail has them. */
async function load() {
  const { eld } = await import('eld/extrasmall')
  eld.setLanguageSubset(known)
  return eld
}
let loaded: ReturnType<typeof load> | null = null

/** The language a text is most likely written in (ISO 639-1, such as 'de'), by its runs of letters; `null` where it can't be told. */
export async function languageOf(text: string): Promise<string | null> {
  const letters = text.slice(0, 4000).replace(/[^\p{L}\p{M}']+/gu, ' ')
  const some = letters.slice(0, read)
  if (some.length < fewest) return null
  loaded ??= load()
  const { language } = (await loaded).detect(some)
  return language || null
}
