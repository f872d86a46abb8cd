import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { type Schemas, api, ask } from '../api/client'
import { RouteGraph } from '../drawings/RouteGraph'
import { Strip } from '../drawings/strip/Strip'
import { ProblemNote } from '../frame/Problem'
import { count, day, figure, roundMoney, sees } from '../frame/words'
import { labelIn } from './document'
import { FactSource, Grade, Money, Tool } from '../api/vocabulary'
import { headingOf, labelOf } from '../frame/vocabulary'

interface Props {
  use: Schemas['SheetUse']
  standards: Schemas['Standard'][]
  onEdit: () => void
  onSaved: (saved: Schemas['Saved']) => void
}

/** One sheet: what it can hold with sources, its route drawn, its versions and the units on them. */
export function OneSheet({ use, standards, onEdit, onSaved }: Props) {
  const { sheet } = use
  const { memory } = sheet
  const path = { params: { path: { key: sheet.key } } }
  const proof = useQuery({ queryKey: ['proof', sheet.key, sheet.version], queryFn: () => ask(api.GET('/api/sheets/{key}/proof', path)) })
  const ways = useQuery({ queryKey: ['ways-to', sheet.key, sheet.version], queryFn: () => ask(api.GET('/api/sheets/{key}/ways', path)) })
  const [error, setError] = useState<unknown>(null)
  const facts: [string, string, string][] = [
    ['Memory', `${[memory.soldered ? `${memory.soldered.amounts_gb.join(' or ')} GB soldered` : '', memory.slots.length > 0 ? count(memory.slots.length, 'slot') : ''].filter(Boolean).join(', ')} ${[memory.generation, memory.form].filter(Boolean).join(' ')}, ${memory.mts} MT/s${memory.cpu_mts && memory.cpu_mts < memory.mts ? ` (processor ${memory.cpu_mts})` : ''}${memory.low_voltage_only ? ', low voltage only' : ''}, up to ${memory.stated.gb} GB`, labelOf('FactSource', memory.stated.source)],
    ...(memory.proven ? [['Memory, seen running', `${memory.proven.gb} GB on ${count(memory.proven.units_on_record, 'unit')}`, labelOf('FactSource', memory.proven.source)] as [string, string, string]] : []),
    ...(memory.cpu_gb ? [['Memory, by the processor', `${memory.cpu_gb} GB`, labelOf('FactSource', FactSource.MANUAL)] as [string, string, string]] : []),
    ...sheet.drives.map((drive): [string, string, string] => [drive.label, `${labelOf('Connector', drive.connector)}, ${drive.interfaces.join(' or ')}${drive.lengths_mm.length ? `, ${drive.lengths_mm.join(' and ')}` : ''}${drive.height_mm ? `, ${drive.height_mm} mm high` : ''}${drive.single_sided_only ? ', single-sided only' : ''}${drive.shared_with_radio ? ', shared with the radio' : ''}${drive.pcie_generation ? `, generation ${drive.pcie_generation}` : ''}, up to ${figure(drive.limit_gb)} GB`, labelOf('FactSource', drive.source)]),
    ...sheet.packs.map((pack): [string, string, string] => [pack.label, pack.variants.map((v) => `${v.family}: ${v.design_wh} Wh, ${v.volts} V, ${v.cells} cells${v.screws_included ? ', with its screws' : ''}${v.needs.length ? `, needs ${v.needs.join(', ')}` : ''}`).join('; '), labelOf('FactSource', FactSource.LABEL)]),
    ['Trims', sheet.trims.map((trim) => trim.label).join(', '), ''],
    ['Required parts', sheet.parts.map((part) => part.label + (part.goes_with.length ? ` (with ${part.goes_with.map((key) => labelIn(sheet, key)).join(', ')})` : '')).join(', '), ''],
    ['Function tests', sheet.tests.map((test) => test.label + (test.attempt ? ` (first ${test.attempt.words})` : test.repair ? '' : ' (not worth a repair)')).join(', '), ''],
    ...(sheet.boards.length ? [['Boards', sheet.boards.map((board) => board.label).join(', '), ''] as [string, string, string]] : []),
    ...sheet.built_with.map((one) => [headingOf('Aspect', one.aspect), one.choices.map((choice) => choice.label + (choice.key === one.usual ? ' (usual)' : '') + (choice.with_kinds.length ? ` (brings ${choice.with_kinds.join(', ')})` : '')).join(', '), ''] as [string, string, string]),
    ['Runs from', [sheet.adapter, ...sheet.draw.map((one) => `${one.watts} W at ${one.use}`)].filter(Boolean).join('; '), labelOf('FactSource', FactSource.LABEL)],
    ...(sheet.built_in_test ? [['Own hardware test', sheet.built_in_test, ''] as [string, string, string]] : []),
  ]
  const prove = async (): Promise<void> => {
    try {
      onSaved(await ask(api.POST('/api/sheets/{key}/proof', path)))
    } catch (refusal) {
      setError(refusal)
    }
  }
  return (
    <>
      <div className="flex items-start gap-4">
        <div className="grow">
          <h1>{sheet.maker} {sheet.model}</h1>
          <p className="quiet mb-3">{sheet.summary} {headingOf('MachineForm', sheet.form)}, from {sheet.year}. Version {sheet.version}, {count(use.units, 'unit')}.</p>
        </div>
        <a className="btn btn-outline btn-bench font-normal" href={`/api/sheets/${sheet.key}/export.json`} download>Export</a>
        <a className="btn btn-outline btn-bench font-normal" href={`/api/units/codes/${sheet.key}.pdf`} target="_blank" rel="noreferrer">Scan codes</a>
        <button type="button" className="btn btn-primary btn-bench" onClick={onEdit}>Edit</button>
      </div>
      <Strip strip={use.strip} size="card" />
      <ProblemNote error={error} />
      {proof.data && <p className="border-l-4 border-success bg-base-100 px-4 py-2 mt-3">{proof.data.sentence} <button type="button" className="underline" onClick={() => void prove()}>Take it into the sheet as bench-proven</button></p>}
      <table className="my-4 w-full text-note">
        <thead><tr className="border-b border-base-content"><th className="w-44">what</th><th>it can hold</th><th>source</th></tr></thead>
        <tbody>
          {facts.map(([what, words, source]) => <tr key={what} className="rule-b align-top"><td className="py-1 font-semibold">{what}</td><td className="py-1 pr-6">{words}</td><td className="py-1 quiet whitespace-nowrap">{source}</td></tr>)}
        </tbody>
      </table>
      <h2 className="mb-1">How it opens</h2>
      <ProblemNote error={ways.error} />
      <RouteGraph route={sheet.route} labelOf={(place) => labelIn(sheet, place)} ways={ways.data ?? []} />
      <div className="grid grid-cols-2 gap-10 max-lg:grid-cols-1 mt-5">
        <section>
          <h2 className="mb-1">Steps and screws</h2>
          <ol className="text-note">
            {sheet.route.steps.map((step) => (
              <li key={step.key} className="rule-t py-1.5 flex gap-3">
                <span className="w-16 quiet shrink-0">{labelOf('Depth', step.depth)}</span>
                <span className="grow">{step.title}{step.screws.map((screws) => <span key={screws.where} className="quiet"> · {screws.count} × {screws.length_mm} mm{screws.captive ? ' captive' : ''}</span>)}{step.breaks.map((spot) => <span key={spot} className="block fitink">{spot}</span>)}</span>
                <span className="quiet whitespace-nowrap">{step.tool === Tool.HAND ? '' : step.tool}</span>
              </li>
            ))}
          </ol>
        </section>
        <section>
          {sees(Money.PRICES) && <>
          <h2 className="mb-1">What it sells for</h2>
          <table className="w-full text-note mb-5">
            <thead><tr className="border-b border-base-content"><th>standard</th>{Object.values(Grade).map((grade) => <th key={grade} className="text-right">grade {grade}</th>)}</tr></thead>
            <tbody>
              {standards.map((standard) => (
                <tr key={standard.key} className="rule-b">
                  <td className="py-1.5">{standard.name}</td>
                  {Object.values(Grade).map((grade) => {
                    const price = standard.prices.find((row) => row.sheet === sheet.key && row.grade === grade)
                    return <td key={grade} className="text-right">{price ? roundMoney(price.price_cents) : <span className="quiet">not sold</span>}</td>
                  })}
                </tr>
              ))}
            </tbody>
          </table>
          </>}
          <Versions sheet={sheet} />
        </section>
      </div>
    </>
  )
}

/** All versions of a sheet: who, when, why, what changed, and which units are read against each. */
function Versions({ sheet }: { sheet: Schemas['ModelSheet'] }) {
  const versions = useQuery({ queryKey: ['versions', sheet.key, sheet.version], queryFn: () => ask(api.GET('/api/sheets/{key}/versions', { params: { path: { key: sheet.key } } })) })
  return (
    <>
      <h2 className="mb-1">Versions</h2>
      <ProblemNote error={versions.error} />
      <ol className="text-note">
        {versions.data?.map((version) => (
          <li key={version.version} className="rule-t py-1.5">
            <p><b>{version.version}</b> · {day(version.at)} · {version.by || 'came with the workshop'}{version.words && <> · {version.words}</>} · <a className="underline" href={`/api/sheets/${sheet.key}/versions/${version.version}`}>JSON</a></p>
            {version.changes.map((change) => <p key={change.where} className="pl-4"><span className="quiet">{change.where}:</span> {change.was || 'nothing'} → <b>{change.now || 'nothing'}</b></p>)}
            {version.tags.length > 0 && (
              <details className="pl-4">
                <summary className="quiet cursor-pointer">{count(version.tags.length, 'unit')} read against it</summary>
                <p className="flex flex-wrap gap-x-3">{version.tags.map((tag) => <Link key={tag} className="tag text-sm underline" to={`/unit/${tag}`}>{tag}</Link>)}</p>
              </details>
            )}
          </li>
        ))}
      </ol>
    </>
  )
}
