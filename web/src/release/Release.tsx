import { useQuery, useQueryClient } from '@tanstack/react-query'
import { FileDown } from 'lucide-react'
import { useRef, useState } from 'react'
import { Link, Navigate, useNavigate, useParams } from 'react-router'
import { type Schemas, api, ask, lostOf } from '../api/client'
import { Strip } from '../drawings/strip/Strip'
import { ProblemNote } from '../frame/Problem'
import { didAtOnce } from '../frame/Undo'
import { UnitRail } from '../frame/UnitRail'
import { Check } from './Check'
import { Pictures } from './Pictures'
import { EraserReports } from './EraserReports'
import { BegunForm } from '../frame/begun'
import { useSession } from '../frame/session'
import { useKeys } from '../frame/keys'
import { clock, day, roundMoney, sees } from '../frame/words'
import { unitsQuery } from '../inspect/units'
import { Money, Role, Stage } from '../api/vocabulary'
import { labelOf } from '../frame/vocabulary'
import { shows } from '../frame/shows'

/** Release: units at their last check, and one of them with every gate and its evidence. */
export function Release() {
  const { batch = '', tag = '' } = useParams()
  const waiting = useQuery(unitsQuery(batch, Stage.RELEASE))
  const released = useQuery(unitsQuery(batch, Stage.RELEASED))
  const units = [...(waiting.data ?? []), ...(released.data ?? [])]
  const note = (other: string): string => (released.data?.some((unit) => unit.tag === other) ? labelOf('Stage', Stage.RELEASED) : '')
  return (
    <div className="grow flex">
      {!tag && waiting.data && released.data && units[0] && <Navigate replace to={`/${batch}/release/${units[0].tag}`} />}
      <UnitRail heading={`${waiting.data?.length ?? 0} at the last check`} units={units} current={tag} to={(other) => `/${batch}/release/${other}`} note={note} />
      {tag ? <LastCheck key={tag} batch={batch} tag={tag} /> : <p className="page text-lg">{waiting.data && 'No unit waits for its last check. They come here from the bench, or straight from the plan when they are complete.'}</p>}
    </div>
  )
}

function LastCheck({ batch, tag }: { batch: string; tag: string }) {
  const queries = useQueryClient()
  const navigate = useNavigate()
  const query = useQuery({ queryKey: ['release', tag], queryFn: () => ask(api.GET('/api/units/{tag}/release', { params: { path: { tag } } })) })
  const [error, setError] = useState<unknown>(null)
  /** What was chosen for each gate that asks for a record; nothing is chosen beforehand. */
  const [how, setHow] = useState<Record<string, string>>({})
  const [reports, setReports] = useState<string[]>([])
  const [letting, setLetting] = useState('')
  const owner = (useSession().data?.person?.roles ?? []).includes(Role.OWNER)
  const asked = useRef<Record<string, HTMLSelectElement | null>>({})
  const view = query.data
  const send = async (call: () => Promise<Schemas['ReleaseView']>): Promise<boolean> => {
    setError(null)
    try {
      const now = await call()
      shows(queries, ['release', tag], now)
      if (now.stage !== view?.stage) {
        void queries.invalidateQueries({ queryKey: ['units', batch] })
        void queries.invalidateQueries({ queryKey: ['batch', batch] })
      }
      return true
    } catch (refusal) {
      setError(refusal)
      return false
    }
  }
  const path = { params: { path: { tag } } }
  // Taken back from wherever one is by then: what the server says is shown where the key was pressed.
  const back = async (call: () => Promise<Schemas['ReleaseView']>): Promise<void> => {
    shows(queries, ['release', tag], await call())
    void queries.invalidateQueries({ queryKey: ['units', batch] })
    void queries.invalidateQueries({ queryKey: ['batch', batch] })
  }
  // A record is said by a person: nothing is chosen for them, and a key alone signs nothing.
  const sign = ({ gate, sentence, wants_words, takes_reports }: Schemas['ReleaseGate']): void => {
    const words = how[gate] ?? ''
    if (wants_words && !words && !(takes_reports && reports.length)) asked.current[gate]?.focus()
    else void signed(gate, sentence, wants_words ? words : '', takes_reports ? reports : [])
  }
  const signed = async (gate: string, sentence: string, words: string, given: string[]): Promise<void> => {
    const done = await send(() => ask(api.POST('/api/units/{tag}/release/sign', { ...path, body: { gate, words, reports: given } })))
    if (!done) return
    setReports([])
    // Nor is it chosen beforehand where the signature is taken back.
    setHow(({ [gate]: _, ...others }) => others)
    didAtOnce(`${tag}: ${sentence}, signed.`, async () => {
      await back(() => ask(api.POST('/api/units/{tag}/release/sign/back', { ...path, body: { gate } })))
      return `${tag}: the signature is taken back. Its story shows both.`
    })
  }
  const waive = async (gate: Schemas['ReleaseGate'], form: HTMLFormElement): Promise<boolean> => {
    const given = new FormData(form)
    const body = { gate: gate.gate, reason: String(given.get('reason') ?? ''), told: given.get('told') === 'yes' }
    if (!(await send(() => ask(api.POST('/api/units/{tag}/release/waive', { ...path, body }))))) return false
    setLetting('')
    didAtOnce(`${tag}: ${gate.sentence}, waived.`, async () => {
      await back(() => ask(api.POST('/api/units/{tag}/release/waive/back', { ...path, body: { gate: gate.gate } })))
      return `${tag}: the waiver is taken back. Its story shows both.`
    })
    return true
  }
  const release = async (): Promise<void> => {
    if (!(await send(() => ask(api.POST('/api/units/{tag}/release', path))))) return
    didAtOnce(`${tag} released.`, async () => {
      await back(() => ask(api.POST('/api/units/{tag}/release/back', path)))
      return `${tag} is at its last check again; a label that was printed is void.`
    })
  }
  const label = (): void => void open(`/api/units/${tag}/label.pdf`)
  const signable = view?.gates.filter((gate) => gate.signable) ?? []
  const done = view?.stage === Stage.RELEASED
  useKeys('Last check', [
    { key: ' ', does: 'seen: sign the gate that is marked', act: () => { if (signable[0]) sign(signable[0]) }, off: done ? 'it is released' : signable[0] ? '' : 'no gate waits for a signature' },
    { key: 'r', does: 'release the unit', act: () => void release(), off: done ? 'it is released' : '' },
    { key: 'l', does: 'print the label', act: label, off: done ? '' : 'it is not released yet' },
  ])
  if (lostOf(query)) return <div className="page grow"><ProblemNote error={query.error} /></div>
  if (!view) return null
  const met = view.gates.filter((gate) => gate.met).length
  return (
    <div className="grow min-w-0 grid grid-cols-[minmax(0,1fr)_330px] max-lg:grid-cols-1">
      <div className="px-7 pt-4 pb-6 min-w-0">
        <header className="flex items-baseline gap-4 mb-2">
          <h1 className="tag text-3xl">{view.tag}</h1>
        <Link className="underline quiet pt-1" to={`/unit/${view.tag}`}>story</Link>
          <p className="grow"><b>{view.model}</b> <span className="quiet">· serial <span className="font-mono">{view.serial}</span></span></p>
          <p className="text-lg"><b>{view.standard}</b>, grade {view.grade}{sees(Money.PRICES) && `, ${roundMoney(view.price_cents)}`}</p>
        </header>
        {!view.check && <Strip strip={view.strip} size="card" />}
        <Check
          view={view}
          done={done}
          send={send}
          onRefused={setError}
          onSentBack={() => {
            void queries.invalidateQueries()
            navigate(`/${batch}/inspect/${tag}`)
          }}
          onOpenedAgain={() => {
            void queries.invalidateQueries()
            navigate(`/${batch}/fit/${tag}`)
          }}
        />
        <h2 className="mt-4 mb-1 flex justify-between">Gates of {view.standard} <span className={met === view.gates.length ? 'doneink' : 'quiet'}>{met} of {view.gates.length} met</span></h2>
        <ul>
          {view.gates.map((gate) => {
            const first = signable[0]?.gate === gate.gate
            return (
              <li key={gate.gate} className={`rule-t py-1 flex flex-wrap items-center gap-x-4 gap-y-1 min-h-[3.125rem] ${first && !done ? 'current-row pl-4' : ''}`}>
                <svg width="18" height="18" aria-hidden="true" className="shrink-0">
                  {gate.waived ? <path d="M2 9 H16" stroke="var(--fit)" strokeWidth="4" /> : gate.met ? <circle cx="9" cy="9" r="7" fill="var(--done)" /> : <circle cx="9" cy="9" r="6.5" fill="none" stroke="var(--fit)" strokeWidth="2.4" />}
                </svg>
                <p className="grow basis-40 min-w-0 font-semibold">{gate.sentence}</p>
                {!(signable.includes(gate) && gate.wants_words) && <p className={`text-sm text-right ${gate.met && !gate.waived ? 'quiet' : 'fitink'}`}>{gate.met ? gate.evidence : gate.asks}{gate.waived && (gate.told ? '; the buyer is told' : '; the buyer is not told')}</p>}
                {signable.includes(gate) && gate.wants_words && (
                  <select ref={(node) => { asked.current[gate.gate] = node }} className="select select-bordered h-11 w-60 shrink-0" aria-label={gate.asks} value={how[gate.gate] ?? ''} onChange={(event) => setHow({ ...how, [gate.gate]: event.target.value })}>
                    <option value="" disabled>choose what was done</option>
                    {gate.usual?.map((words) => <option key={words}>{words}</option>)}
                  </select>
                )}
                {!gate.met && signable.includes(gate) && <button type="button" className="btn btn-outline btn-bench" onClick={() => sign(gate)}>{gate.by_machine ? 'Take its reading' : 'Seen'} {first && <kbd>Space</kbd>}</button>}
                {signable.includes(gate) && gate.takes_reports && !done && <EraserReports tag={tag} eraser={view.eraser} reports={reports} onReports={setReports} />}
                {owner && gate.waivable && !gate.met && !done && <button type="button" className="btn btn-ghost btn-bench font-normal" aria-expanded={letting === gate.gate} onClick={() => setLetting(letting === gate.gate ? '' : gate.gate)}>Waive</button>}
                {letting === gate.gate && !gate.met && (
                  <BegunForm place={`waiver.${tag}.${gate.gate}`} className="basis-full flex flex-wrap items-end gap-3 pb-2 pl-8" aria-label={`Waive ${gate.sentence}`} onSend={(form) => waive(gate, form)}>
                    <label className="grow">Why may it leave without?<input name="reason" required maxLength={200} autoFocus className="input h-11 w-full bg-base-100 block" /></label>
                    <fieldset className="flex gap-4 h-11 items-center">
                      <legend className="sr-only">Is the buyer told?</legend>
                      <label className="flex gap-2 items-center"><input type="radio" name="told" value="yes" required className="radio" />the buyer is told</label>
                      <label className="flex gap-2 items-center"><input type="radio" name="told" value="no" required className="radio" />not told</label>
                    </fieldset>
                    <button type="submit" className="btn btn-primary btn-bench">Waive it</button>
                  </BegunForm>
                )}
              </li>
            )
          })}
        </ul>
        <ProblemNote error={error} />
        <Pictures key={tag} tag={tag ?? ''} />
      </div>
      <aside aria-label="Label" className="border-l border-base-300 px-6 pt-4 pb-6 max-lg:border-l-0">
        <h2 className="mb-2">Label</h2>
        <div className="bg-white text-black border border-base-300 p-3 flex gap-3" style={{ minHeight: `${(15 * view.label_size.height_mm) / view.label_size.width_mm}rem` }}>
          <img src={`/api/units/${tag}/code.svg`} alt={`QR code of ${tag}`} className="h-24 w-24 shrink-0 -m-1" />
          <div className="leading-tight min-w-0">
            <p className="tag text-xl">{view.tag}</p>
            <p className="font-bold text-sm">{view.model}</p>
            {view.label.map((line) => <p key={line} className="text-xs">{line}</p>)}
          </div>
        </div>
        <p className="quiet text-sm my-2">{view.label_size.width_mm} × {view.label_size.height_mm} mm. Each line was seen working.</p>
        {done ? (
          <>
            <p role="status" className="border-l-4 border-success bg-base-100 px-4 py-3 mb-3">Released by {view.released_by}{view.released_at && `, ${day(view.released_at)} ${clock(view.released_at)}`}.</p>
            <button type="button" className="btn btn-primary btn-bench w-full" onClick={label}>Print label <kbd>L</kbd></button>
          </>
        ) : (
          <button type="button" className="btn btn-primary btn-bench w-full" onClick={() => void release()}>Release <kbd>R</kbd></button>
        )}
        {done && (
          <p className="mt-3 flex flex-wrap gap-x-4">
            <a className="underline" href={`/api/units/${tag}/papers/spec.pdf`} target="_blank" rel="noreferrer">Spec sheet</a>
            <a className="underline" href={`/api/units/${tag}/papers/record.pdf`} target="_blank" rel="noreferrer">Internal record</a>
            <a className="underline" href={`/api/units/${tag}/papers/drives.pdf`} target="_blank" rel="noreferrer">Data on its drives</a>
          </p>
        )}
        <a className="mt-2 underline block" href={`/api/batches/${batch}/certificate.pdf`} target="_blank" rel="noreferrer">Certificate of the batch</a>
        <a className="mt-4 quiet flex gap-1 items-center hover:underline" href={`/api/batches/${batch}/units.csv`}><FileDown size={16} aria-hidden="true" /> batch as CSV</a>
      </aside>
    </div>
  )
}
