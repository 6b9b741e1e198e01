import { Component, type ReactNode } from 'react'
import { PartMissing } from '../api/loaded'
import { Button } from './controls'

/** It is tried anew when one goes to another `place`. */
type Props = { children: ReactNode; place: string }

/** What fails while it is drawn is said in words, with a way on; the page around it stays. */
export class Boundary extends Component<Props, { error: unknown }> {
  override state: { error: unknown } = { error: null }

  static getDerivedStateFromError(error: unknown) {
    return { error }
  }

  override componentDidUpdate(before: Props) {
    if (before.place !== this.props.place && this.state.error !== null) this.setState({ error: null })
  }

  override render() {
    const { error } = this.state
    if (error === null) return this.props.children
    const missing = error instanceof PartMissing
    return (
      <section className="p-6" aria-label="What failed">
        <h1 className="text-lg font-semibold">
          {missing ? 'A part of the page could not be loaded' : 'The page failed: an internal error'}
        </h1>
        <p role="alert" className="my-3 max-w-prose">
          {missing
            ? 'The server is there, but it does not have this part. It was probably updated a moment ago.'
            : 'Nothing that is kept on the server is lost. Please report what you did, with the line below.'}
        </p>
        {!missing && <p className="mb-3 font-mono text-sm">{String(error)}</p>}
        <span className="flex gap-3">
          <Button tone="main" onClick={() => location.reload()}>
            Load the page anew
          </Button>
          <Button onClick={() => location.assign('/')}>To the networks</Button>
        </span>
      </section>
    )
  }
}
