import { useState } from 'react'
import type { Schemas } from '../api/client'
import { Caution, Depth, Tool } from '../api/vocabulary'
import { labelOf } from '../frame/vocabulary'
import { ticking } from '../frame/words'
import { ToolMark, toolMark } from './dive/Dive'
import { BOX, HEIGHT, type Node, layOut, leads, nodesOf } from './route'
import { useWidth } from './width'

const MOST_LETTERS = 12

const clock = (minutes: number): string => ticking(Math.round(minutes * 60))

interface Props {
  route: Schemas['Route']
  labelOf: (place: string) => string
  /** The way to each place; empty while the sheet has faults. */
  ways: Schemas['WayTo'][]
}

/** The route of a sheet as depth downward: what each step asks for, and the way to one part lit. */
export function RouteGraph({ route, labelOf: placeLabel, ways }: Props) {
  const [frame, width] = useWidth<HTMLDivElement>(960)
  const [chosen, setChosen] = useState('')
  const [folded, setFolded] = useState(false)
  const nodes = nodesOf(route, placeLabel)
  const way = ways.find((one) => one.place === chosen)
  const goal = nodes.find((node) => node.places.includes(chosen))
  const lit = new Map((way?.steps ?? []).map((key, index) => [key, index + 1]))
  if (way && goal && !lit.has(goal.key)) lit.set(goal.key, lit.size + 1)
  const shown = folded && way ? nodes.filter((node) => lit.has(node.key)) : nodes
  const { placed, bands, height } = layOut(shown, width)
  const lines = leads(placed)
  const isLit = (line: (typeof lines)[number]): boolean => lit.has(line.from) && lit.has(line.to)
  const tools = [...new Set(nodes.map((node) => node.tool))].filter((tool) => tool !== Tool.HAND)
  const longest = Math.max(...nodes.map((node) => node.minutes), 0.1)
  const words = nodes.map((node) => `${node.title}${node.after.length ? ` after ${node.after.map((key) => nodes.find((one) => one.key === key)?.title ?? key).join(' and ')}` : ''}`).join('; ')
  return (
    <div ref={frame}>
      <p className="flex flex-wrap items-center gap-x-4 gap-y-1 mb-2 min-h-11">
        <label className="flex items-center gap-2 whitespace-nowrap">
          The way to
          <select className="select select-bordered h-10" value={chosen} onChange={(event) => setChosen(event.target.value)}>
            <option value="">choose a part</option>
            {ways.map((one) => <option key={one.place} value={one.place}>{placeLabel(one.place)}</option>)}
          </select>
        </label>
        {way ? (
          <>
            <span><b className="figures">{lit.size}</b> steps in, <b className="figures">{clock(way.minutes_in)}</b>; back <b className="figures">{clock(way.minutes_back)}</b>{screwsOf(way)}</span>
            <label className="flex items-center gap-2"><input type="checkbox" className="checkbox" checked={folded} onChange={(event) => setFolded(event.target.checked)} /> only this way</label>
          </>
        ) : <span className="quiet">Press a part, and the way to it lights up.</span>}
      </p>
      <svg width={width} height={height} viewBox={`0 0 ${width} ${height}`} role="group" aria-label={`Route drawing: ${words}`}>
        {bands.map((band) => (
          <g key={band.depth}>
            <line x1={0} x2={width} y1={band.top} y2={band.top} stroke="var(--rule)" strokeWidth={1.5} />
            <text x={0} y={band.top + 34} fontSize={15} fontWeight={600} fill="var(--ink)">{labelOf('Depth', band.depth)}</text>
          </g>
        ))}
        {[...lines].sort((a, b) => Number(isLit(a)) - Number(isLit(b))).map((line) => {
          const on = isLit(line)
          return <path key={`${line.from} ${line.to}`} d={line.path} fill="none" stroke={on ? 'var(--fit)' : 'var(--quiet)'} strokeWidth={on ? 3.5 : 1.2} opacity={way && !on ? 0.45 : 1} />
        })}
        {placed.map((node) => (
          <foreignObject key={node.key} x={node.x} y={node.y} width={BOX} height={HEIGHT}>
            <Box node={node} number={lit.get(node.key)} goal={node.key === goal?.key} tools={tools} share={node.minutes / longest} onChoose={() => setChosen(node.places.includes(chosen) ? '' : (node.places[0] ?? ''))} />
          </foreignObject>
        ))}
      </svg>
      <Legend tools={tools} />
    </div>
  )
}

function screwsOf(way: Schemas['WayTo']): string {
  const out = way.screws.filter((one) => !one.captive).reduce((sum, one) => sum + one.count, 0)
  const captive = way.screws.filter((one) => one.captive).reduce((sum, one) => sum + one.count, 0)
  return `${out ? ` · ${out} ${out === 1 ? 'screw comes' : 'screws come'} out` : ''}${captive ? ` · ${captive} captive` : ''}`
}

/** The name of a tool where it has room; the legend tells the others by their mark. */
const named = (tool: string): string => {
  const words = labelOf('Tool', tool)
  return words.length > MOST_LETTERS ? '' : words
}

interface BoxProps { node: Node; number: number | undefined; goal: boolean; tools: string[]; share: number; onChoose: () => void }

/** One step, or one part to be reached: its warning, tool, screws and minutes. */
function Box({ node, number, goal, tools, share, onChoose }: BoxProps) {
  const edge = number ? 'border-accent border-[2.5px]' : 'border-base-content border'
  const style = `relative flex flex-col items-start w-full h-full text-left px-2 pt-1.5 leading-[1.15] ${edge} ${node.depth === Depth.PART ? 'rounded-xl' : ''} ${goal ? 'bg-base-200' : 'bg-base-100'}`
  const lithium = node.cautions.includes(Caution.LITHIUM)
  const inside = (
    <>
      <span className={`text-note font-semibold pr-4 ${node.breaks ? 'line-clamp-2' : 'line-clamp-4'}`}>{node.title}</span>
      {number && <b className="absolute right-2 top-1.5 fitink figures">{number}</b>}
      {node.breaks && <span className={`text-sm line-clamp-2 ${lithium ? 'text-error font-semibold' : 'fitink'}`}>{node.breaks}</span>}
      <span className="absolute left-2 right-2 bottom-2 flex items-center gap-1 text-sm">
        <svg width="24" height="22" aria-hidden="true" className="shrink-0 -ml-0.5">
          {node.cautions.length > 0 && <circle cx={12} cy={11} r={10} fill="none" stroke={lithium ? 'var(--hazard)' : 'var(--quiet)'} strokeWidth={lithium ? 1.8 : 1.2} {...(lithium ? {} : { strokeDasharray: '2 2' })} />}
          <ToolMark shape={toolMark(tools, node.tool)} cx={12} cy={11} r={5} fill="var(--ink)" stroke="var(--ink)" strokeWidth={1} />
        </svg>
        <span className="whitespace-nowrap">{node.screws || <span className="quiet">{named(node.tool)}</span>}</span>
        <span className="ml-auto tabular-nums">{clock(node.minutes)}</span>
      </span>
      <span className={`absolute left-0 bottom-0 h-1 ${number ? 'bg-accent' : 'bg-base-content/40'}`} style={{ width: `${Math.max(3, share * 100)}%` }} />
    </>
  )
  if (node.places.length === 0) return <div className={style}>{inside}</div>
  return <button type="button" aria-pressed={goal} className={`${style} cursor-pointer`} onClick={onChoose}>{inside}</button>
}

function Legend({ tools }: { tools: string[] }) {
  return (
    <p className="flex flex-wrap gap-x-4 gap-y-1 text-sm quiet mt-1">
      {[Tool.HAND, ...tools].map((tool) => (
        <span key={tool} className="flex items-center gap-1"><svg width="16" height="16" aria-hidden="true"><ToolMark shape={toolMark(tools, tool)} cx={8} cy={8} r={5} fill="var(--ink)" stroke="var(--ink)" strokeWidth={1} /></svg>{labelOf('Tool', tool)}</span>
      ))}
      <span className="flex items-center gap-1"><svg width="18" height="18" aria-hidden="true"><circle cx="9" cy="9" r="8" fill="none" stroke="currentColor" strokeWidth="1.2" strokeDasharray="2 2" /></svg>caution</span>
      <span className="flex items-center gap-1"><svg width="18" height="18" aria-hidden="true"><circle cx="9" cy="9" r="8" fill="none" stroke="var(--hazard)" strokeWidth="1.8" /></svg>lithium pack</span>
      <span className="flex items-center gap-1"><i className="inline-block w-6 h-1 bg-base-content/40" />minutes, to scale</span>
    </p>
  )
}
