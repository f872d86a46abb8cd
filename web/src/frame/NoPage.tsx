import { Link, useLocation } from 'react-router'

/** What stands at an address that nobody knows: an old bookmark, half a link out of a message. */
export function NoPage() {
  const { pathname } = useLocation()
  return (
    <div className="page" role="alert">
      <h1>There is no such page</h1>
      <p className="my-3 break-words">Nothing stands at <span className="tag">{pathname}</span>. Choose a batch, or scan the tag of a unit.</p>
      <Link className="underline" to="/">All batches</Link>
    </div>
  )
}
