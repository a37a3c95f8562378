export { sendersIn, splitSenders, tidyPattern } from '../pasted/index.ts'

/** 'YYYY-MM-DD' of a day that exists. */
export function isDay(text: string): boolean {
  const day = new Date(`${text}T00:00:00Z`)
  return !Number.isNaN(day.getTime()) && day.toISOString().slice(0, 10) === text
}
