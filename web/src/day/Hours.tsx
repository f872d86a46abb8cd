import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { type Schemas, api, ask, problemOf } from '../api/client'
import { ProblemNote } from '../frame/Problem'
import { atMinute, minuteOf } from './time'
import { Skill } from '../api/vocabulary'
import { labelOf } from '../frame/vocabulary'
import { shows } from '../frame/shows'

const DAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun']
const SKILLS: Schemas['Skill'][] = [Skill.BENCH, Skill.BOARD, Skill.SETUP]

const written = (stretches: number[][] | undefined): string => (stretches ?? []).map(([start, end]) => `${atMinute(start ?? 0)}-${atMinute(end ?? 0)}`).join(' ')

/** Stretches as typed: 8-12 12:45-16:30; null where one does not read. */
function read(text: string): [number, number][] | null {
  const found: [number, number][] = []
  for (const word of text.trim().split(/\s+/).filter(Boolean)) {
    const [from, to] = word.split('-').map(minuteOf)
    if (from === null || from === undefined || to === null || to === undefined) return null
    found.push([from, to])
  }
  return found
}

/** Who works at a bench when, what they can do, and how many benches there are. */
export function Hours({ open }: { open: boolean }) {
  const queries = useQueryClient()
  const key = ['day', 'hours']
  const hours = useQuery({ queryKey: key, queryFn: () => ask(api.GET('/api/day/hours')), enabled: open })
  const [error, setError] = useState<unknown>(null)
  const [said, setSaid] = useState('')
  const save = async (call: () => Promise<Schemas['WorkshopHours']>, words: string): Promise<void> => {
    try {
      shows(queries, key, await call())
      setError(null)
      setSaid(words)
      void queries.invalidateQueries({ queryKey: ['day'], exact: true })
    } catch (refusal) {
      setSaid('')
      setError(refusal)
      if (problemOf(refusal).status === 409) await queries.invalidateQueries({ queryKey: key })
    }
  }
  if (!hours.data) return <ProblemNote error={hours.error} />
  return (
    <div className="mt-2">
      <label className="flex items-center gap-2 mb-3">Benches
        <input className="input input-bordered w-20 h-11" inputMode="numeric" defaultValue={hours.data.benches} onBlur={(event) => { const many = Number(event.target.value); if (many && many !== hours.data.benches) void save(() => ask(api.PUT('/api/day/benches', { body: { count: many } })), 'Benches kept.') }} />
      </label>
      {hours.data.people.map((person) => <PersonHours key={`${person.username} ${person.version}`} person={person} onSave={(given) => save(() => ask(api.PUT('/api/day/hours/{username}', { params: { path: { username: person.username } }, body: given })), `Hours of ${person.name} kept.`)} onFault={(words) => setError(new Error(words))} />)}
      <p role="status" className="doneink min-h-6">{said}</p>
      <ProblemNote error={error} />
    </div>
  )
}

function PersonHours({ person, onSave, onFault }: { person: Schemas['HoursView']; onSave: (given: Schemas['HoursGiven']) => void; onFault: (words: string) => void }) {
  const [texts, setTexts] = useState(DAYS.map((_, index) => written(person.hours[String(index)])))
  const [skills, setSkills] = useState(person.skills)
  return (
    <form
      className="rule-b pb-3 mb-3"
      onSubmit={(event) => {
        event.preventDefault()
        const hours: Record<string, [number, number][]> = {}
        for (const [index, text] of texts.entries()) {
          const found = read(text)
          if (found === null) return onFault(`${DAYS[index]}: “${text}” does not read. Write stretches like 8-12 12:45-16:30, or nothing for a free day.`)
          hours[String(index)] = found
        }
        onSave({ skills, hours, version: person.version })
      }}
    >
      <p className="font-bold">{person.name}</p>
      <div className="flex flex-wrap gap-3 my-1">
        {SKILLS.map((skill) => (
          <label key={skill} className="flex items-center gap-1.5"><input type="checkbox" className="checkbox" checked={skills.includes(skill)} onChange={(event) => setSkills(event.target.checked ? [...skills, skill] : skills.filter((one) => one !== skill))} />{labelOf('Skill', skill)}</label>
        ))}
      </div>
      <div className="grid grid-cols-4 gap-2 max-xl:grid-cols-2">
        {DAYS.map((name, index) => (
          <label key={name} className="text-sm">{name}<input className="input input-bordered w-full h-11" value={texts[index]} placeholder="free" onChange={(event) => setTexts(texts.map((text, at) => (at === index ? event.target.value : text)))} /></label>
        ))}
      </div>
      <button type="submit" className="btn btn-outline btn-bench mt-2">Keep these hours</button>
    </form>
  )
}
