// Decodes one map with a JavaScript library: node decode.mjs LIBRARY FILE time|memory
// Prints milliseconds (median of 15 in a warm process, from bytes to the first
// answer) or by how many bytes the process grew at its peak (one decoding).
import { readFileSync } from 'node:fs'

const [library, file, what] = process.argv.slice(2)
const { TraceMap, originalPositionFor } = await import('@jridgewell/trace-mapping')
const { SourceMapConsumer } = await import('source-map')
const decoders = {
  'trace-mapping': raw => originalPositionFor(new TraceMap(raw.toString()), { line: 1, column: 5 }),
  'source-map': async raw => {
    const c = await new SourceMapConsumer(raw.toString())
    c.originalPositionFor({ line: 1, column: 5 })
    c.destroy()
  },
}
const decode = decoders[library], raw = readFileSync(file)
const peak = () => Number(/VmHWM:\s+(\d+)/.exec(readFileSync('/proc/self/status', 'utf8'))[1]) * 1024
if (what === 'memory') {
  const before = peak()
  await decode(raw)
  console.log(peak() - before)
} else {
  const took = []
  for (let i = 0; i < 18; i++) {
    const from = performance.now()
    await decode(raw)
    if (i >= 3) took.push(performance.now() - from)
  }
  console.log(took.sort((a, b) => a - b)[7])
}
