import { Component, type ReactNode } from 'react'

/** Says a mistake of a place instead of leaving an empty page, with a way back. It is made anew with its key. */
export class Boundary extends Component<{ children: ReactNode }, { error?: Error }> {
  override state: { error?: Error } = {}

  static getDerivedStateFromError(error: Error) {
    return { error }
  }

  override render() {
    const { error } = this.state
    if (!error) return this.props.children
    return (
      <main>
        <section className="panel empty" role="alert">
          <h1>This page has met a mistake of Rope Bench</h1>
          <p>Nothing that was evaluated is lost: the runs go on. Please report what it says:</p>
          <p>
            <code>{error.message}</code>
          </p>
          <button className="plain-link" onClick={() => this.setState({ error: undefined })}>
            Show the page again
          </button>
        </section>
      </main>
    )
  }
}
