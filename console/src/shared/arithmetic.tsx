import type { IssueDetail } from '../api/client.ts'

/** The impact of an issue; opened, the sum it is. */
export function Arithmetic({ issue: i }: { issue: IssueDetail }) {
  return (
    <details className="dropdown">
      <summary className="list-none underline decoration-dotted underline-offset-4" title="show the arithmetic">{Math.round(i.impact)}</summary>
      <table className="dropdown-content z-20 mt-1 w-[28rem] max-w-[92vw] panel text-base font-normal">
        <caption className="sr-only">The arithmetic of the impact</caption>
        <tbody>
          {i.impact_parts.map((p) => (
            <tr key={p.name} className={p.points === 0 ? 'soft' : ''}>
              <td className="px-3 py-1 text-right whitespace-nowrap">{p.points.toFixed(1)} <span className="soft">of {p.most.toFixed(0)}</span></td>
              <th scope="row" className="py-1 text-left font-normal">{p.name}</th>
              <td className="soft px-3 py-1">{p.words}</td>
            </tr>
          ))}
          <tr className="border-t border-base-300 font-semibold">
            <td className="px-3 py-1 text-right whitespace-nowrap">{i.impact.toFixed(1)} <span className="soft font-normal">of 100</span></td>
            <th scope="row" className="py-1 text-left">in all</th>
            <td />
          </tr>
        </tbody>
      </table>
    </details>
  )
}
