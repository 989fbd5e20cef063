// Real packages at work: every so many calls of a few built-in functions, the
// stack is noted. Takes the place of harbour/packages.js.
import { parse } from 'acorn'
import { configureStore, createSlice } from '@reduxjs/toolkit'
import { from, interval, of } from 'rxjs'
import { concatMap, debounceTime, groupBy, map, mergeMap, retry, scan, switchMap, take, toArray } from 'rxjs/operators'
import * as echarts from 'echarts'
import { here } from './harbour/here.js'

function watch(proto, method, every) {
  const real = proto[method]
  let n = 0, busy = false
  proto[method] = function (...args) {
    if (!busy && ++n % every === 0) {
      busy = true
      here()
      busy = false
    }
    return real.apply(this, args)
  }
  return () => { proto[method] = real }
}

globalThis.harbourPackages = async () => {
  const stop = [watch(Array.prototype, 'push', 7), watch(String.prototype, 'slice', 5), watch(String.prototype, 'charCodeAt', 11), watch(Math, 'max', 3), watch(Math, 'min', 3), watch(Object, 'keys', 3),
    watch(Array.prototype, 'forEach', 2), watch(Array.prototype, 'concat', 1), watch(Array.prototype, 'indexOf', 2), watch(Object.prototype, 'hasOwnProperty', 5), watch(Array.prototype, 'splice', 1), watch(RegExp.prototype, 'exec', 2)]
  parse('class A extends B { #x = 1; get y() { return async (a, ...b) => { for await (const c of b) `${c}` } } }; export default function* f({a = 1, ...r} = {}) { label: for (;;) { if (a ?? b?.c) break label; else switch (a) { case 1: try { throw /x/u } catch {} } } yield* import("x") }', { ecmaVersion: 'latest', sourceType: 'module', locations: true })
  const crew = createSlice({ name: 'crew', initialState: { list: [], by: {} }, reducers: { add: (s, a) => { s.list.push(a.payload); s.by[a.payload] = { on: true } }, off: (s, a) => { delete s.by[a.payload] } } })
  const store = configureStore({ reducer: { crew: crew.reducer } })
  for (const n of ['Mara', 'Ivo', 'Sten']) store.dispatch(crew.actions.add(n))
  store.dispatch(crew.actions.off('Ivo'))
  await new Promise(done => from([1, 2, 3, 4]).pipe(groupBy(n => n % 2), mergeMap(g => g.pipe(scan((a, n) => a + n, 0))), concatMap(n => of(n, n + 1)), switchMap(n => interval(1).pipe(take(2), map(() => n))), retry(1), debounceTime(2), toArray()).subscribe({ complete: done }))
  const chart = echarts.init(null, null, { renderer: 'svg', ssr: true, width: 600, height: 300 })
  chart.setOption({ title: { text: 'Tides' }, legend: {}, tooltip: {}, dataZoom: [{}], xAxis: { type: 'category', data: ['Mo', 'Tu', 'We', 'Th'] }, yAxis: {}, series: [{ type: 'line', name: 'high', smooth: true, areaStyle: {}, data: [3, 5, 2, 4] }, { type: 'bar', name: 'low', data: [1, 2, 1, 0] }, { type: 'pie', radius: 40, center: [500, 80], data: [{ name: 'a', value: 3 }, { name: 'b', value: 4 }] }] })
  chart.renderToSVGString()
  chart.resize({ width: 500 }); chart.dispatchAction({ type: 'highlight', seriesIndex: 0, dataIndex: 1 })
  chart.renderToSVGString()
  chart.dispose()
  for (const s of stop) s()
}
