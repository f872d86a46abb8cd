import { type ComponentType, useEffect, useState } from 'react'

/**
 * A page whose code is fetched when it is first opened, and shown as soon as it is there. A
 * suspended one would be held back for 300 ms, so that fallbacks do not flicker; there is none here.
 */
export function fetched(load: () => Promise<ComponentType>): ComponentType {
  let known: ComponentType | undefined
  return function Fetched() {
    const [Page, setPage] = useState(() => known)
    const [lost, setLost] = useState(false)
    useEffect(() => {
      if (Page || lost) return
      load().then(
        (page) => {
          known = page
          setPage(() => page)
        },
        () => setLost(true),
      )
    }, [Page, lost])
    if (Page) return <Page />
    if (!lost) return null
    return (
      <div className="page" role="alert">
        <p>This page could not be fetched: the connection is gone, or Sortis was renewed meanwhile. What you typed is kept.</p>
        <button type="button" className="btn" onClick={() => location.reload()}>Load it again</button>
      </div>
    )
  }
}
