import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { type Schemas, api, ask } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { NewSheet } from '../sheets/NewSheet'

interface Props {
  view: Schemas['InspectionView']
  onChanged: (view: Schemas['InspectionView'], left: string[]) => void
  onLeave: () => void
}

/** The list named the model wrongly: the right sheet, or a new one for a model nobody knows yet. */
export function AnotherModel({ view, onChanged, onLeave }: Props) {
  const sheets = useQuery({ queryKey: ['sheets'], queryFn: () => ask(api.GET('/api/sheets')) })
  const [making, setMaking] = useState(false)
  const [error, setError] = useState<unknown>(null)
  const change = async (sheet: string): Promise<void> => {
    try {
      const changed = await ask(api.PUT('/api/units/{tag}/sheet', { params: { path: { tag: view.tag } }, body: { sheet } }))
      onChanged(changed.view, changed.left)
    } catch (refusal) {
      setError(refusal)
    }
  }
  return (
    <div className="mb-3">
      <div className="flex items-center gap-3">
        <label>It is a
          <select autoFocus className="select select-bordered h-11 ml-2" aria-label="Model of this unit" value={view.sheet} onChange={(event) => { if (event.target.value === '+') setMaking(true); else void change(event.target.value) }}>
            {sheets.data?.map((use) => <option key={use.sheet.key} value={use.sheet.key}>{use.sheet.maker} {use.sheet.model}</option>)}
            <option value="+">model without a sheet …</option>
          </select>
        </label>
        <button type="button" className="btn btn-ghost btn-bench" onClick={onLeave}>Leave it</button>
      </div>
      <ProblemNote error={error} />
      {making && <NewSheet name="" near={view.sheet} {...(view.readout ? { tag: view.tag } : {})} onMade={(key) => void change(key)} onLeave={() => setMaking(false)} />}
    </div>
  )
}
