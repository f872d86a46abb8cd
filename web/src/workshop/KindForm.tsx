import { type FormEvent, useState } from 'react'
import type { Schemas } from '../api/client'
import { Connector, Generation, Interface, ModuleForm } from '../api/vocabulary'
import { choicesOf } from '../frame/vocabulary'
import { currencySign } from '../frame/words'

type Facts = Schemas['PartKind']['facts']

const FACTS: [Facts['type'], string, Facts][] = [
  ['module', 'a memory module', { type: 'module', gb: 8, generation: Generation.DDR4, form: ModuleForm.SODIMM, mts: 2666, low_voltage: true, maker: '' }],
  ['drive', 'a drive', { type: 'drive', gb: 256, connector: Connector.M2, interface: Interface.NVME, length_mm: 80, height_mm: null, double_sided: false, spinning: false }],
  ['pack', 'a battery pack', { type: 'pack', family: '', design_wh: 45 }],
  ['bracket', 'a bracket for a shorter drive', { type: 'bracket', drive_mm: 42, standoff_mm: 80 }],
  ['part', 'another part, named on the sheets', { type: 'part' }],
]
const LISTS: Record<string, 'Generation' | 'ModuleForm' | 'Connector' | 'Interface'> = { generation: 'Generation', form: 'ModuleForm', connector: 'Connector', interface: 'Interface' }
const WORDS: Record<string, string> = { gb: 'GB', mts: 'MT/s', length_mm: 'length, mm', height_mm: 'height, mm', design_wh: 'design, Wh', drive_mm: 'drive, mm', standoff_mm: 'standoff, mm' }

interface Props {
  kind?: Schemas['PartKind']
  kinds: Schemas['PartKind'][]
  onKeep: (document: Record<string, unknown>) => Promise<boolean>
  onLeave: () => void
}

/** A part kind: its name, and what decides whether it fits. */
export function KindForm({ kind, kinds, onKeep, onLeave }: Props) {
  const [facts, setFacts] = useState<Facts>(kind?.facts ?? (FACTS[0]?.[2] as Facts))
  const [key, setKey] = useState(kind?.key ?? '')
  const [label, setLabel] = useState(kind?.label ?? '')
  const [instead, setInstead] = useState<string[]>(kind?.instead_of ?? [])
  const named = kinds.filter((one) => one.facts.type === 'part' && one.key !== kind?.key)
  const usual = label.toLowerCase().replace(/[^a-z0-9]+/g, '-').replace(/^-+|-+$/g, '').slice(0, 60)
  const set = (name: string, value: unknown): void => setFacts({ ...facts, [name]: value } as Facts)
  const keep = async (event: FormEvent<HTMLFormElement>): Promise<void> => {
    event.preventDefault()
    const given = new FormData(event.currentTarget)
    const done = await onKeep({
      key: key || usual,
      label: label.trim(),
      facts,
      harvest_value_cents: Math.round(Number(given.get('harvest')) * 100),
      stream: given.get('stream') || null,
      grams: Number(given.get('grams')),
      least: Number(given.get('least')),
      instead_of: facts.type === 'part' ? instead : [],
    })
    if (done) onLeave()
  }
  return (
    <form className="bg-base-100 border border-base-300 p-4 my-2 flex flex-wrap gap-3 items-end" aria-label="Part kind" onSubmit={(event) => void keep(event)}>
      <label>Name<input className="input w-64 h-10 bg-base-100 block" required maxLength={120} autoFocus value={label} onChange={(event) => setLabel(event.target.value)} /></label>
      {!kind && <label>Key<input className="input w-48 h-10 bg-base-100 block font-mono" maxLength={60} placeholder={usual} value={key} onChange={(event) => setKey(event.target.value)} /></label>}
      {!kind && (
        <label>It is
          <select className="select w-60 h-10 bg-base-100 flex" value={facts.type} onChange={(event) => setFacts(FACTS.find(([type]) => type === event.target.value)?.[2] ?? facts)}>
            {FACTS.map(([type, words]) => <option key={type} value={type}>{words}</option>)}
          </select>
        </label>
      )}
      {Object.entries(facts).filter(([name]) => name !== 'type').map(([name, value]) => {
        const list = LISTS[name]
        const words = WORDS[name] ?? name.replaceAll('_', ' ')
        if (list) return <label key={name}>{words}<select className="select w-36 h-10 bg-base-100 flex" value={String(value)} onChange={(event) => set(name, event.target.value)}>{choicesOf(list).map(([code, said]) => <option key={code} value={code}>{said}</option>)}</select></label>
        if (typeof value === 'boolean') return <label key={name} className="flex gap-2 items-center h-10"><input type="checkbox" className="checkbox" checked={value} onChange={(event) => set(name, event.target.checked)} />{words}</label>
        const text = typeof value === 'string'
        return <label key={name}>{words}<input className="input w-28 h-10 bg-base-100 block" type={text ? 'text' : 'number'} step="any" min={0} value={value === null ? '' : String(value)} onChange={(event) => set(name, text ? event.target.value : event.target.value === '' ? null : Number(event.target.value))} /></label>
      })}
      <label>Harvested, charged at {currencySign()}<input name="harvest" type="number" min={0} step="0.01" defaultValue={(kind?.harvest_value_cents ?? 0) / 100} className="input w-28 h-10 bg-base-100 block" /></label>
      <label>Recycled with<select name="stream" defaultValue={kind?.stream ?? ''} className="select w-56 h-10 bg-base-100 flex"><option value="">nobody said</option>{choicesOf('Stream').map(([code, said]) => <option key={code} value={code}>{said}</option>)}</select></label>
      <label>Grams<input name="grams" type="number" min={0} defaultValue={kind?.grams ?? 0} className="input w-24 h-10 bg-base-100 block" /></label>
      <label>Keep at least<input name="least" type="number" min={0} max={100000} defaultValue={kind?.least ?? 0} className="input w-24 h-10 bg-base-100 block" /></label>
      {facts.type === 'part' && (
        <div>
          <label>Goes in place of<select className="select w-60 h-10 bg-base-100 flex" value="" onChange={(event) => { if (event.target.value) setInstead([...instead, event.target.value]) }}><option value="">{instead.length ? 'one more' : 'no other'}</option>{named.filter((one) => !instead.includes(one.key)).map((one) => <option key={one.key} value={one.key}>{one.label}</option>)}</select></label>
          {instead.map((key) => <button type="button" key={key} className="underline quiet block text-left" onClick={() => setInstead(instead.filter((other) => other !== key))} title="take it off">{named.find((one) => one.key === key)?.label ?? key} ×</button>)}
        </div>
      )}
      <button type="submit" className="btn btn-primary btn-bench">Keep</button>
      <button type="button" className="btn btn-ghost btn-bench" onClick={onLeave}>Never mind</button>
    </form>
  )
}
