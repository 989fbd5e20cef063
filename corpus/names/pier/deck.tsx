// Components, with what they are made of.
import * as React from 'react'
import { renderToString } from 'react-dom/server'
import { here } from './here'

type Row = { id: number; name: string }
interface TableProps<T> { rows: T[]; render: (row: T, i: number) => React.ReactNode; onPick?: (row: T) => void }

const Crew = React.createContext<{ names: string[] }>({ names: [] })
export function useCrew<T>(pick: (names: string[]) => T): T { here(); const { names } = React.useContext(Crew); return React.useMemo(() => { here(); return pick(names) }, [names, pick]) }
export function Table<T extends Row>({ rows, render, onPick = () => { here() } }: TableProps<T>) {
  here()
  const [state] = React.useState(() => { here(); return rows.length < 3 })
  const pick = React.useCallback((row: T) => { here(); onPick(row) }, [onPick])
  rows.forEach((row) => pick(row))
  return <table data-open={state}><tbody>{rows.map((row, i) => { here(); return <tr key={row.id} onClick={() => { here(row) }}>{render(row, i)}</tr> })}</tbody></table>
}
export const Badge: React.FC<{ n: number }> = ({ n }) => { here(); return <b>{n > 1 ? `${n} crew` : 'alone'} isn't {"it's"} &lt; that</b> }
export const Memo = React.memo(function Inner({ n }: { n: number }) { here(); return <Badge n={n} /> })
export const Ref = React.forwardRef<HTMLDivElement, { label: string }>(({ label }, ref) => { here(); return <div ref={ref}>{label}</div> })
export class Panel extends React.Component<{ children: (n: number) => React.ReactNode }, { n: number }> {
  state = { n: 1 }
  turn = (n: number) => { here(); return n }
  get twice(): number { here(); return this.state.n * 2 }
  componentDidMount() { here() }
  render(): React.ReactNode { here(); return <>{this.props.children(this.turn(this.twice))}</> }
}
export default function App({ names }: { names: string[] }) {
  here()
  const count = useCrew((list) => { here(); return list.length })
  const rows = names.map<Row>((name, id) => { here(); return { id, name } })
  return <Crew.Provider value={{ names }}>
    <Table<Row> rows={rows} render={(row) => { here(); return <i>{row.name}</i> }} />
    <Memo n={count} /> <Ref label="quay" /> <Panel>{(n) => { here(); return <Badge n={n} /> }}</Panel>
    {count > 5 && <p>{(() => { here(); return 'many' })()}</p>}
  </Crew.Provider>
}
export function everything(): void {
  renderToString(<App names={['Runa', 'Liv']} />)
  const tree = Table({ rows: [{ id: 1, name: 'a' }], render: () => { here(); return null } }) as unknown as undefined
  here(tree)
}
export function handlers(): void {
  const button = <button onClick={() => { here() }} onFocus={function () { here() }}>Go</button>
  ;(button.props as { onClick(): void }).onClick(); (button.props as { onFocus(): void }).onFocus()
}
