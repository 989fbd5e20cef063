//@ screen
import { Component, useEffect, useMemo, useReducer, useState, createContext, useContext, type ReactNode } from 'react'
//@
export const FerryContext = createContext<{ ferry: { name: string } } | null>(null)
//@
export function useFerry() {
  const value = useContext(FerryContext)
  invariant(value, 'useFerry is used outside of a FerryContext')
  return value
}
//@
export function FerryTitle() {
  const { ferry } = useFerry()
  return <h1>{ferry.name}</h1>
}
//@
export function FerryBadge({ small }: { small: boolean }) {
  const { ferry } = useFerry()
  return <b className={small ? 's' : 'l'}>{ferry.name}</b>
}
//@
export function StopList({ stops }: { stops: { port: { name: string } }[] }) {
  return <ul>{stops.map((s, i) => <li key={i}>{s.port.name}</li>)}</ul>
}
//@
export function TidePanel({ port }: { port: string }) {
  const rows = useMemo(() => drawTides(port), [port])
  return <pre>{rows}</pre>
}
//@
export function Countdown({ until }: { until: unknown }) {
  const [left, set] = useState(0)
  useEffect(() => { set((until as Date).getTime() - 5) }, [until])
  return <i>{left}</i>
}
//@
export function seatReducer(state: { seats: string[] }, action: { kind: string; seat?: string }) {
  switch (action.kind) {
    case 'take': return { seats: [...state.seats, action.seat!.toLowerCase()] }
    case 'free': return { seats: state.seats.filter(s => s !== action.seat) }
    default: throw new Error(`seatReducer does not know ${action.kind}`)
  }
}
//@
export function SeatPicker({ kind }: { kind: string }) {
  const [state, act] = useReducer(seatReducer, { seats: [] })
  useEffect(() => { act({ kind }) }, [kind])
  return <p>{state.seats.length}</p>
}
//@
export function BuyButton({ booking }: { booking?: { seats: string[] } }) {
  const buy = () => { document.title = booking!.seats[0] }
  return <button id="buy" onClick={buy}>Buy</button>
}
//@
export function ShareButton({ share }: { share?: (x: string) => void }) {
  return <button id="share" onClick={() => share!('x')}>Share</button>
}
//@
export class Fence extends Component<{ children: ReactNode; met(e: unknown): void }, { failed: boolean }> {
  state = { failed: false }
  static getDerivedStateFromError() { return { failed: true } }
  componentDidCatch(e: unknown) { this.props.met(e) }
  render() { return this.state.failed ? null : this.props.children }
}
