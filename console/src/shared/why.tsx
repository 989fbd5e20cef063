import type { RoundItem } from '../api/client.ts'

const mark: Record<string, string> = { new: 'text-info', regressed: 'text-accent', woken: 'text-warning', surging: 'text-accent', grown: 'text-warning', yours: 'text-primary' }
const called: Record<string, string> = { new: 'new', regressed: 'came back', woken: 'woken', surging: 'surging', grown: 'grown', yours: 'yours, changed' }

/** Why an issue is here, in a word or two each. */
export function Kinds({ item }: { item: RoundItem }) {
  return <>{item.why.map((w, i) => <span key={w.kind}>{i > 0 && ', '}<span className={mark[w.kind] ?? ''}>{called[w.kind] ?? w.kind}</span></span>)}</>
}
