import type { AutomaticReplyShape } from '@pendro/contract'

/** To whom a text of an automatic reply goes. */
export type Whom = 'inside' | 'outside'

/** The reply with one text changed; an empty one is none. */
export function withText(
  reply: AutomaticReplyShape,
  whom: Whom,
  said: AutomaticReplyShape['inside'][number],
): AutomaticReplyShape {
  const others = reply[whom].filter(one => one.language !== said.language)
  if (said.text === '' && said.subject === '') return { ...reply, [whom]: others }
  const at = reply[whom].findIndex(one => one.language === said.language)
  const texts = at < 0 ? [...others, said] : reply[whom].map((one, i) => (i === at ? said : one))
  return { ...reply, [whom]: texts }
}
