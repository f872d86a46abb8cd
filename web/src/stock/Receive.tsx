import { type Schemas, api, ask } from '../api/client'
import { BegunForm } from '../frame/begun'
import { currencySign } from '../frame/words'
import type { Change } from './change'
import { choicesOf } from '../frame/vocabulary'

/** Book parts in that no purchase brought. */
export function Receive({ kinds, change, onDone }: { kinds: Schemas['KindView'][]; change: Change; onDone: () => void }) {
  const byLabel = new Map(kinds.map((kind) => [kind.label, kind.key]))
  const receive = async (form: HTMLFormElement): Promise<boolean> => {
    const given = new FormData(form)
    const named = given.get('kind') as string
    const done = await change(ask(api.POST('/api/stock/received', {
      body: {
        kind: byLabel.get(named) ?? named,
        condition: given.get('condition') as Schemas['Condition'],
        place: given.get('place') as string,
        count: Number(given.get('count')),
        unit_cost_cents: Math.round(Number(given.get('cost')) * 100),
        words: given.get('words') as string,
      },
    })), `${given.get('count')} × ${named} booked in.`)
    if (done) onDone()
    return done
  }
  return (
    <BegunForm place="receive" className="bg-base-100 px-4 py-3 mb-3 flex flex-wrap items-end gap-2" onSend={receive}>
      <label className="text-sm quiet">Part<input name="kind" list="part-kinds" required autoFocus className="input h-11 w-60 bg-base-100 flex" /></label>
      <datalist id="part-kinds">{kinds.map((kind) => <option key={kind.key} value={kind.label} />)}</datalist>
      <label className="text-sm quiet">Condition<select name="condition" className="select h-11 w-44 bg-base-100 flex">{choicesOf('Condition').map(([code, label]) => <option key={code} value={code}>{label}</option>)}</select></label>
      <label className="text-sm quiet">Count<input name="count" type="number" min={1} required defaultValue={1} className="input h-11 w-20 bg-base-100 flex" /></label>
      <label className="text-sm quiet">Cost of one, {currencySign()}<input name="cost" type="number" min={0} step="0.01" required defaultValue="0" className="input h-11 w-24 bg-base-100 flex" /></label>
      <label className="text-sm quiet">Put at<input name="place" required maxLength={60} className="input h-11 w-32 bg-base-100 flex" /></label>
      <label className="text-sm quiet">From where<input name="words" maxLength={100} className="input h-11 w-40 bg-base-100 flex" placeholder="found in the back" /></label>
      <button type="submit" className="btn btn-primary btn-bench">Book in</button>
    </BegunForm>
  )
}
