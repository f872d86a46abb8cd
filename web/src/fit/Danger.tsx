import { useNavigate } from 'react-router'
import type { Schemas } from '../api/client'
import { useKeys } from '../frame/keys'
import { workshop } from '../frame/words'

/** A danger at the bench: the caution fills the screen; nothing else is offered but setting it aside. */
export function Danger({ view, batch }: { view: Schemas['WorkView']; batch: string }) {
  const navigate = useNavigate()
  const record = (): void => void navigate(`/${batch}/inspect/${view.tag}`)
  const next = (): void => void navigate(`/${batch}/fit`)
  useKeys('Danger', [
    { key: 'Enter', does: 'it is set aside safely; go on', act: next },
    { key: 'd', does: 'record what was done', act: record },
  ])
  return (
    <section role="alertdialog" aria-label="Hazard" className="fixed inset-0 z-40 bg-base-100 overflow-auto border-[14px] border-error px-12 py-8 flex flex-col justify-center">
      <div className="flex gap-6 items-start mb-6">
        <svg width="120" height="105" viewBox="0 0 64 56" aria-hidden="true" className="shrink-0">
          <path d="M32 3 L61 53 H3 Z" fill="url(#strip-hazard)" stroke="var(--hazard)" strokeWidth="3" />
        </svg>
        <div>
          <p className="text-4xl font-bold text-error">Stop. {view.surprises[0]?.sentence}</p>
          <p className="mt-3 text-2xl leading-snug max-w-4xl">{view.danger}</p>
          {workshop().hazard_rules && <p className="mt-2 text-xl max-w-4xl"><b>{workshop().name}: </b>{workshop().hazard_rules}</p>}
        </div>
      </div>
      <div className="flex gap-3">
        <button type="button" autoFocus className="btn btn-primary btn-lg" onClick={next}>It is set aside safely; next work order <kbd>Enter</kbd></button>
        <button type="button" className="btn btn-outline btn-lg" onClick={record}>Record what was done <kbd>D</kbd></button>
      </div>
    </section>
  )
}
