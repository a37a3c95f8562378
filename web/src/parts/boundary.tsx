import { Component, type ReactNode } from 'react'
import { Failed } from './states.tsx'

interface BoundaryProps {
  /** What is shown; when it changes, a failure of what was shown before is forgotten. */
  readonly of: string | number
  readonly children: ReactNode
}

interface BoundaryState {
  readonly error: unknown
  readonly of: string | number
}

const whole = Symbol('nothing has failed')

/** Keeps what goes wrong in a panel inside it: the rest of the area stays, and the panel can be tried again. */
export class Boundary extends Component<BoundaryProps, BoundaryState> {
  override state: BoundaryState = { error: whole, of: this.props.of }

  static getDerivedStateFromError(error: unknown): Partial<BoundaryState> {
    return { error }
  }

  static getDerivedStateFromProps({ of }: BoundaryProps, state: BoundaryState): BoundaryState | null {
    return of === state.of ? null : { error: whole, of }
  }

  override render(): ReactNode {
    const { error } = this.state
    if (error === whole) return this.props.children
    return <Failed error={error} onAgain={() => this.setState({ error: whole })} />
  }
}
