import { Component, type ReactNode } from 'react'

interface Props {
  /** The address; another one is another try. */
  at: string
  children: ReactNode
}

interface Drawn {
  lost: boolean
  at: string
}

/** What stands in the place of a page that could not be drawn; the rest of the application goes on. */
export class Caught extends Component<Props, Drawn> {
  override state: Drawn = { lost: false, at: this.props.at }

  static getDerivedStateFromError(): Partial<Drawn> {
    return { lost: true }
  }

  static getDerivedStateFromProps({ at }: Props, state: Drawn): Drawn | null {
    return at === state.at ? null : { lost: false, at }
  }

  override componentDidCatch(error: unknown): void {
    // Told to whoever listens for faults of the page, as if nobody had caught it.
    reportError(error)
  }

  override render(): ReactNode {
    if (!this.state.lost) return this.props.children
    return (
      <div className="page" role="alert">
        <h1>This page could not be drawn</h1>
        <p className="my-3">Sortis met something that nobody foresaw. What was kept is kept, and what you typed on this device is there when the page is.</p>
        <p className="flex gap-4 items-center">
          <button type="button" className="btn btn-primary btn-bench" onClick={() => location.reload()}>Load it again</button>
          <a className="underline" href="/">All batches</a>
        </p>
      </div>
    )
  }
}
