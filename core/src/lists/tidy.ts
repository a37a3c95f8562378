export { sendersIn, splitSenders, tidyPattern } from '../pasted/index.ts'

/** 'YYYY-MM-DD' of a day that exists. */
export function isDay(text: string): boolean {
  const day = /^\d{4}-\d{2}-\d{2}$/.test(text) ? new Date(`${text}T00:00:00Z`) : null
  return day !== null && !Number.isNaN(day.getTime()) && day.toISOString().startsWith(text)
}
