import { create } from 'zustand'

interface Asked {
  /** Somebody is asked to prove that it is them; told whether they did. */
  readonly answer: ((proven: boolean) => void) | null
}

/** One question at a time: two requests that ask at once wait for the same answer. */
export const useProof = create<Asked>(() => ({ answer: null }))

let asked: Promise<boolean> | null = null

/** Asks whoever is signed in to prove again that it is them (`PROVE_AGAIN`); whether they did. */
export function askProof(): Promise<boolean> {
  asked ??= new Promise<boolean>(resolve => {
    useProof.setState({
      answer: proven => {
        useProof.setState({ answer: null })
        asked = null
        resolve(proven)
      },
    })
  })
  return asked
}
