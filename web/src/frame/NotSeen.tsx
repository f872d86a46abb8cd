import type { Money } from '../api/vocabulary'
import { headingOf } from './vocabulary'

/** In place of a screen that is nothing without its money. */
export function NotSeen({ money }: { money: Money }) {
  return <p role="status" className="border-l-4 border-base-300 bg-base-100 px-4 py-3 my-3">{headingOf('Money', money)} are not shown to your roles here. The owner sets who sees them, under Workshop.</p>
}
