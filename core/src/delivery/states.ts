/** What is true of a delivery in a state. A new state is a new row below; the compiler then names what has to learn of it. */
interface StateFacts {
  /** Kept back: the colleague has not got it. */
  readonly keptBack: boolean
  /** Waits for a person, and can still be told in a digest. Sealed mail waits for nobody. */
  readonly undecided: boolean
  /** In front of the colleague: where they look for their mail. Their junk folder is not. */
  readonly arrived: boolean
  /** The mail store has taken a copy. */
  readonly stored: boolean
  /** Goes away when its days are over (domain.md §7). */
  readonly endsByItself: boolean
  /** Where a message can be judged to go. */
  readonly judged: boolean
  /** Where it is put back when what a person did is taken back. */
  readonly remembered: boolean
  /** Nothing more happens to it by itself. */
  readonly settled: boolean
}

const nothing = {
  keptBack: false,
  undecided: false,
  arrived: false,
  stored: false,
  endsByItself: false,
  judged: false,
  remembered: false,
  settled: false,
} as const satisfies StateFacts
const kept = { ...nothing, keptBack: true, endsByItself: true, judged: true } as const
const delivered = { ...nothing, arrived: true, stored: true, settled: true } as const

/** All states of a delivery (vocabulary.md, "States of a delivery"), and what is true in each. */
const facts = {
  /** Its attachments are with the lab. */
  inspecting: nothing,
  inbox: { ...delivered, judged: true },
  aside: { ...delivered, judged: true, remembered: true },
  /** In the folder of a mail rule. */
  moved: { ...delivered, judged: true, remembered: true },
  junk: { ...kept, undecided: true, stored: true, remembered: true },
  quarantined: { ...kept, undecided: true, remembered: true },
  /** Harmful: nobody releases it, and what was discarded comes back as this. */
  sealed: { ...kept, remembered: true },
  /** On its way to the mail store. */
  deferred: nothing,
  bounced: nothing,
  released: delivered,
  /** By a person, or by a mail rule. */
  discarded: { ...nothing, endsByItself: true, judged: true },
  expired: { ...nothing, settled: true },
} as const satisfies Record<string, StateFacts>

/** Where a delivery is. */
export type DeliveryState = keyof typeof facts

/** All states, in the order of the table. */
export const deliveryStates = Object.keys(facts) as [DeliveryState, ...DeliveryState[]]

type StatesWhere<F extends keyof StateFacts> = {
  [S in DeliveryState]: (typeof facts)[S][F] extends true ? S : never
}[DeliveryState]

const where = <F extends keyof StateFacts>(fact: F) =>
  deliveryStates.filter(state => facts[state][fact]) as StatesWhere<F>[]

/** A state that judging can lead to. */
export type JudgedState = StatesWhere<'judged'>
/** A state that is remembered when a person moves the delivery. */
export type RememberedState = StatesWhere<'remembered'>

/** The colleague does not have it. */
export const keptBackStates = where('keptBack')
/** Kept back, and nobody has decided about it. */
export const undecidedStates = where('undecided')
/** In the colleague's mailbox. */
export const arrivedStates = where('arrived')
/** The mail store has it. */
export const storedStates = where('stored')
/** Goes away by itself after its days. */
export const endingStates = where('endsByItself')
/** Where judging can put a delivery. */
export const judgedStates = where('judged')
/** Remembered as where a delivery was. */
export const rememberedStates = where('remembered')
/** Nothing more happens to it. */
export const settledStates = where('settled')

export const isKeptBack = (state: DeliveryState): boolean => facts[state].keptBack
export const isUndecided = (state: DeliveryState): boolean => facts[state].undecided
export const hasArrived = (state: DeliveryState): boolean => facts[state].arrived
export const endsByItself = (state: DeliveryState): boolean => facts[state].endsByItself
export const isRemembered = (state: DeliveryState): state is RememberedState => facts[state].remembered
export const isSettled = (state: DeliveryState): boolean => facts[state].settled
