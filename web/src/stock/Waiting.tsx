import { type Schemas, api, ask } from '../api/client'
import type { Change } from './change'
import { Condition, DriveEnd } from '../api/vocabulary'
import { headingOf } from '../frame/vocabulary'

/** Parts out of units that wait to be tried, and drives that wait to be sanitised. */
export function Waiting({ lots, named, change }: { lots: Schemas['LotView'][]; named: (lot: Schemas['LotView']) => boolean; change: Change }) {
  if (lots.length === 0) return null
  const settle = async (lot: number, form: HTMLFormElement, pressed: DOMStringMap | undefined): Promise<void> => {
    const good = pressed?.good === 'yes'
    const end = (pressed?.end ?? null) as Schemas['DriveEnd'] | null
    const given = new FormData(form)
    const all = Number(given.get('count'))
    const reports = await Promise.all((given.getAll('reports') as File[]).filter((file) => file.size > 0).map((file) => file.text()))
    void change(ask(api.POST('/api/stock/lots/{lot}/settled', {
      params: { path: { lot } },
      body: { good: good ? all : 0, bad: good ? 0 : all, words: (given.get('words') as string) ?? '', place: (given.get('place') as string) ?? '', reports: good ? reports : [], drive_end: good ? null : end },
    })), `${all} × ${lots.find((one) => one.id === lot)?.label} settled.`)
  }
  return (
    <section className="mb-6">
      <h2 className="mb-1">To be tried or sanitised</h2>
      <ul>
        {lots.toSorted((one, other) => Number(named(other)) - Number(named(one))).map((lot) => {
          const drive = lot.condition === Condition.AWAITING_SANITISING
          return (
            <li key={lot.id} className={`rule-t py-2 ${named(lot) ? 'current-row pl-2 -ml-2' : ''}`}>
              <p className="leading-tight">{lot.on_hand} × {lot.label} <span className="quiet text-sm">{lot.place} <span className="tag">{lot.code}</span></span></p>
              {lot.promised_to.length > 0 && <p className="text-sm">for <span className="tag">{lot.promised_to.join(' ')}</span></p>}
              <form key={lot.on_hand} className="flex flex-wrap gap-1.5 mt-1 items-center" onSubmit={(event) => { event.preventDefault(); void settle(lot.id, event.currentTarget, (event.nativeEvent as SubmitEvent).submitter?.dataset) }}>
                <input name="count" type="number" aria-label="How many" min={1} max={lot.on_hand} defaultValue={lot.on_hand} className="input h-11 w-16 bg-base-100" />
                {drive && <input name="words" maxLength={100} aria-label="How it was sanitised, or the number of its certificate, or who took it" placeholder="method, certificate or receipt" className="input h-11 w-52 bg-base-100" />}
                {drive && <input name="reports" type="file" multiple accept=".json,.txt,.log" aria-label="Reports of the eraser" className="file-input file-input-sm w-52 bg-base-100" />}
                <input name="place" maxLength={60} aria-label="Put at" placeholder="put at" className="input h-11 w-24 bg-base-100" />
                <button type="submit" data-good="yes" className="btn btn-outline btn-bench">{drive ? 'Sanitised' : 'Works'}</button>
                {drive
                  ? Object.values(DriveEnd).map((end) => <button type="submit" key={end} data-good="no" data-end={end} formNoValidate className="btn btn-ghost btn-bench">{headingOf('DriveEnd', end)}</button>)
                  : <button type="submit" data-good="no" formNoValidate className="btn btn-ghost btn-bench">Does not</button>}
              </form>
            </li>
          )
        })}
      </ul>
    </section>
  )
}
