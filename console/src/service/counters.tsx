import { useMutation } from '@tanstack/react-query'
import * as api from '../api/client.ts'
import { count, counted } from '../core/format.ts'
import { Card, Table } from '../shared/page.tsx'
import { Copy, Failed } from '../shared/parts.tsx'

/** Compares every counter with the rows that it represents. */
export function Counters() {
  const compare = useMutation({ mutationFn: () => api.recount() })
  const repair = useMutation({ mutationFn: () => api.repair() })
  const busy = compare.isPending || repair.isPending
  const got = repair.data ?? compare.data
  const error = repair.error ?? compare.error
  return (
    <Card
      title="Counters"
      note="Compares every counter with the rows that it stands for. On a large database this takes a while, and it slows nothing down."
      actions={
        <>
          <Copy text="firethorn recount">Copy as command</Copy>
          {got && got.differences.length > 0 && <button className="btn btn-primary btn-sm" disabled={busy} onClick={() => repair.mutate()}>Repair</button>}
          <button
            className="btn btn-outline btn-sm font-normal" disabled={busy}
            onClick={() => {
              repair.reset()
              compare.mutate()
            }}
          >
            {busy ? 'Comparing …' : 'Compare'}
          </button>
        </>
      }
    >
      {error && <Failed error={error} />}
      <div role="status">
        {got && (
          <p>
            {counted(got.compared, 'kind')} of counter compared: {got.differences.length === 0 ? 'all are right' : <span className="hurts">{counted(got.differences.length, 'difference')}</span>}.
            {got.repaired ? ` ${counted(got.repaired, 'issue')} mended.` : ''}{got.recounting > 0 && ` ${counted(got.recounting, 'move')} under way: rows on their way differ.`}
          </p>
        )}
      </div>
      {got && got.differences.length > 0 && (
        <Table label="Differences" columns={['Counter', { name: 'Issue', right: true }, { name: 'Stored', right: true }, { name: 'Rows', right: true }]}>
          {got.differences.map((d) => (
            <tr key={d.what + d.issue}>
              <td>{d.what}</td>
              <td className="text-right">{d.issue || ''}</td>
              <td className="text-right">{count(d.stored)}</td>
              <td className="text-right">{count(d.rows)}</td>
            </tr>
          ))}
        </Table>
      )}
    </Card>
  )
}
