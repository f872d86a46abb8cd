import { useQuery } from '@tanstack/react-query'
import { NavLink, useParams } from 'react-router'
import { type Schemas, api, ask } from '../api/client'
import { Strip } from '../drawings/strip/Strip'
import { ProblemNote } from '../frame/Problem'
import { count, roundMoney } from '../frame/words'

/** Sheets: what each model can hold and how it opens; the standards and their prices. */
export function Sheets() {
  const { batch, sheet: key } = useParams()
  const sheets = useQuery({ queryKey: ['sheets'], queryFn: () => ask(api.GET('/api/sheets')) })
  const standards = useQuery({ queryKey: ['standards'], queryFn: () => ask(api.GET('/api/sheets/standards')) })
  const base = batch ? `/${batch}/sheets` : '/sheets'
  const shown = sheets.data?.find((use) => use.sheet.key === key) ?? sheets.data?.[0]
  return (
    <div className="grow flex">
      <aside className="w-60 shrink-0 border-r border-base-300 pt-4 pl-7">
        <h2 className="mb-2">Model sheets</h2>
        <ul className="-ml-2">
          {sheets.data?.map((use) => (
            <li key={use.sheet.key}>
              <NavLink to={`${base}/${use.sheet.key}`} className={`block py-2 pl-2 pr-3 leading-tight ${use === shown ? 'current-row' : 'hover:bg-base-100'}`}>
                <b>{use.sheet.maker} {use.sheet.model}</b>
                <span className="block text-sm quiet">{count(use.units, 'unit')}, version {use.sheet.version}</span>
              </NavLink>
            </li>
          ))}
        </ul>
      </aside>
      <div className="grow px-7 pt-4 pb-8 min-w-0">
        <ProblemNote error={sheets.error ?? standards.error} />
        {shown && <OneSheet use={shown} standards={standards.data ?? []} />}
      </div>
    </div>
  )
}

function OneSheet({ use, standards }: { use: Schemas['SheetUse']; standards: Schemas['Standard'][] }) {
  const { sheet } = use
  const { memory } = sheet
  const facts: [string, string, string][] = [
    ['Memory', `${memory.soldered ? `${memory.soldered.amounts_gb.join(' or ')} GB soldered, ` : ''}${count(memory.slots.length, 'slot')} ${memory.generation} ${memory.form ?? ''}, ${memory.mts} MT/s, up to ${memory.stated.gb} GB`, memory.stated.source],
    ...(memory.proven ? [['Memory, seen running', `${memory.proven.gb} GB on ${count(memory.proven.units_on_record, 'unit')}`, memory.proven.source] as [string, string, string]] : []),
    ...sheet.drives.map((drive): [string, string, string] => [drive.label, `${drive.interfaces.join(' or ')}${drive.lengths_mm.length ? `, ${drive.lengths_mm.join(' and ')}` : ''}${drive.height_mm ? `, ${drive.height_mm} mm high` : ''}, up to ${drive.limit_gb} GB`, drive.source]),
    ...sheet.packs.map((pack): [string, string, string] => [pack.label, pack.variants.map((v) => `${v.family}: ${v.design_wh} Wh, ${v.volts} V, ${v.cells} cells`).join('; '), 'label']),
    ['Trims', sheet.trims.map((trim) => trim.label).join(', '), ''],
    ['Required parts', sheet.parts.map((part) => part.label).join(', '), ''],
    ['Function tests', sheet.tests.map((test) => test.label + (test.repair ? '' : ' (not worth a repair)')).join(', '), ''],
  ]
  return (
    <>
      <h1>{sheet.maker} {sheet.model}</h1>
      <p className="quiet mb-3">{sheet.summary} {sheet.form}, from {sheet.year}. <a className="underline" href={`/api/sheets/${sheet.key}`}>as JSON</a></p>
      <Strip strip={use.strip} size="card" />
      <table className="my-5 w-full text-[0.9375rem]">
        <thead><tr className="border-b border-base-content"><th className="w-44">what</th><th>it can hold</th><th>source</th></tr></thead>
        <tbody>
          {facts.map(([what, words, source]) => <tr key={what} className="rule-b align-top"><td className="py-1.5 font-semibold">{what}</td><td className="py-1.5 pr-6">{words}</td><td className="py-1.5 quiet whitespace-nowrap">{source}</td></tr>)}
        </tbody>
      </table>
      <div className="grid grid-cols-2 gap-10 max-lg:grid-cols-1">
        <section>
          <h2 className="mb-1">How it opens</h2>
          <ol className="text-[0.9375rem]">
            {sheet.route.steps.map((step) => (
              <li key={step.key} className="rule-t py-1.5 flex gap-3">
                <span className="w-16 quiet shrink-0">{step.depth}</span>
                <span className="grow">{step.title}{step.screws.map((screws) => <span key={screws.where} className="quiet"> · {screws.count} × {screws.length_mm} mm{screws.captive ? ' captive' : ''}</span>)}</span>
                <span className="quiet whitespace-nowrap">{step.tool === 'hand' ? '' : step.tool}</span>
              </li>
            ))}
          </ol>
        </section>
        <section>
          <h2 className="mb-1">What it sells for</h2>
          <table className="w-full text-[0.9375rem]">
            <thead><tr className="border-b border-base-content"><th>standard</th>{['A', 'B', 'C'].map((grade) => <th key={grade} className="text-right">grade {grade}</th>)}</tr></thead>
            <tbody>
              {standards.map((standard) => (
                <tr key={standard.key} className="rule-b">
                  <td className="py-1.5">{standard.name}</td>
                  {['A', 'B', 'C'].map((grade) => {
                    const price = standard.prices.find((row) => row.sheet === sheet.key && row.grade === grade)
                    return <td key={grade} className="text-right">{price ? roundMoney(price.price_cents) : <span className="quiet">not sold</span>}</td>
                  })}
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      </div>
    </>
  )
}
