import { useEffect, useRef, useState } from 'react'

/** The value once it has been the same for `wait` ms; the first value at once. Compared by its JSON. */
export function useDelayed<T>(value: T, wait: number): T {
  const text = JSON.stringify(value)
  const [settled, setSettled] = useState(value)
  const latest = useRef(value)
  latest.current = value
  useEffect(() => {
    const timer = setTimeout(() => setSettled(latest.current), wait)
    return () => clearTimeout(timer)
  }, [text, wait])
  return settled
}
