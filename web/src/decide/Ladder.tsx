import type { Schemas } from '../api/client'
import { money, signed } from '../frame/words'

/** Every option of a group in order of what it leaves the batch, the rejected ones with the fact. */
export function Ladder({ ladder, currency }: { ladder: Schemas['LadderView']; currency: string }) {
  return (
    <div className="px-4 pb-4 pt-1 bg-base-100">
      <table className="w-full text-[0.9375rem]">
        <thead>
          <tr className="rule-b"><th>option</th><th>with</th><th className="text-right">min</th><th className="text-right">price</th><th className="text-right">parts</th><th className="text-right">leaves</th><th className="text-right pl-3" title="What its scarce parts and minutes would leave in other units">worth elsewhere</th><th className="text-right pl-3">units</th></tr>
        </thead>
        <tbody>
          {ladder.rungs.slice(0, 12).map((rung, index) => (
            <tr key={index} className={`rule-b align-top ${rung.units ? 'font-semibold' : ''}`}>
              <td className="pr-3 whitespace-nowrap">{rung.title}</td>
              <td className="pr-3">{rung.action_words.join(', ') || 'nothing'}</td>
              <td className="text-right">{rung.minutes.toFixed(0)}</td>
              <td className="text-right pl-3">{money(rung.price_cents, currency)}</td>
              <td className="text-right pl-3">{money(rung.parts_cents, currency)}</td>
              <td className="text-right pl-3">{signed(rung.contribution_cents, currency)}</td>
              <td className="text-right pl-3">{rung.scarce_cents ? signed(-rung.scarce_cents, currency) : ''}</td>
              <td className="text-right pl-3">{rung.units || ''}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {ladder.rungs.length > 12 && <p className="quiet text-sm mt-1">{ladder.rungs.length - 12} more options leave less.</p>}
      {ladder.rejections.length > 0 && (
        <ul className="mt-2 text-[0.9375rem]">
          {ladder.rejections.map((fact) => <li key={fact}><span className="quiet">not possible · </span>{fact}</li>)}
        </ul>
      )}
    </div>
  )
}
