import { useQuery } from '@tanstack/react-query'
import { type Schemas, api, ask } from '../api/client'
import type { Change } from './change'
import { Movement } from './Movement'

/** One lot: who it is promised to, a count with its reason, what moved. */
export function OneLot({ lot, change }: { lot: Schemas['LotView']; change: Change }) {
  const moved = useQuery({
    queryKey: ['lot', lot.id, lot.on_hand],
    queryFn: () => ask(api.GET('/api/stock/lots/{lot}/movements', { params: { path: { lot: lot.id } } })),
  })
  const count = (form: HTMLFormElement): void => {
    const given = new FormData(form)
    void change(ask(api.POST('/api/stock/lots/{lot}/counted', { params: { path: { lot: lot.id } }, body: { counted: Number(given.get('counted')), words: given.get('words') as string } })), `${lot.label} set right.`)
  }
  return (
    <div className="border-l-2 border-base-content pl-3 my-2">
      {lot.promised_to.length > 0 && <p className="text-sm">Promised to <span className="tag">{lot.promised_to.join(' ')}</span></p>}
      <form className="flex flex-wrap items-end gap-2 my-1" onSubmit={(event) => { event.preventDefault(); count(event.currentTarget) }}>
        <label className="text-sm quiet">Counted<input name="counted" type="number" min={0} required defaultValue={lot.on_hand} className="input h-11 w-20 bg-base-100 flex" /></label>
        <label className="text-sm quiet">Why it differs<input name="words" maxLength={100} className="input h-11 w-44 bg-base-100 flex" placeholder="one was cracked" /></label>
        <button type="submit" className="btn btn-outline btn-bench">Set right</button>
        <a className="btn btn-outline btn-bench" href={`/api/stock/lots/${lot.id}/label.pdf`} target="_blank" rel="noreferrer">Label {lot.code}</a>
      </form>
      <ul className="text-sm">{moved.data?.map((movement, index) => <Movement key={index} movement={movement} />)}</ul>
    </div>
  )
}
