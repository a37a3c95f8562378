import type { ChangeEffect } from '@pendro/contract'

type Replay = NonNullable<ChangeEffect['replay']>
type Split = Replay['keptBack']

/** As many as a person will look at. */
const mostExamples = 12
const order: Readonly<Record<Replay['examples'][number]['would'], number>> = {
  'be-kept-back': 0,
  'come-through': 0,
  move: 1,
}

const plus = (a: Split, b: Split): Split => ({
  wanted: a.wanted + b.wanted,
  doubtful: a.doubtful + b.doubtful,
  harmful: a.harmful + b.harmful,
})

/** What the parts of an answer come to together; counts of all are those of the first. */
export function joinedEffect(parts: readonly ChangeEffect[]): ChangeEffect | null {
  const [first, ...more] = parts
  if (!first) return null
  return { ...first, replay: more.reduce((sum, { replay }) => joined(sum, replay), first.replay) }
}

function joined(a: Replay | null, b: Replay | null): Replay | null {
  if (a === null || b === null) return a ?? b
  return {
    ...a,
    keptBack: plus(a.keptBack, b.keptBack),
    letThrough: plus(a.letThrough, b.letThrough),
    elsewhere: a.elsewhere + b.elsewhere,
    part: a.part && b.part && { decided: a.part.decided + b.part.decided, of: a.part.of, next: b.part.next },
    // What would change sides matters most, then what people have called something.
    examples: [...a.examples, ...b.examples]
      .sort(
        (x, y) => order[x.would] - order[y.would] || Number(x.called === null) - Number(y.called === null),
      )
      .slice(0, mostExamples),
  }
}
