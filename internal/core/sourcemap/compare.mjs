// Prints, for each map named on standard input, what an independent library
// answers: one JSON line { file, error?, answers: [[line, column, source, line, column, name], …] }.
// Lines and columns count from 0; source and name are indexes, -1 for none.
import { readFileSync, writeSync } from 'node:fs'
import { AnyMap, decodedMappings, traceSegment } from '@jridgewell/trace-mapping'

const most = 20_000 // positions of one map
for (const file of readFileSync(0, 'utf8').split('\n').filter(Boolean)) {
  let map
  try {
    map = new AnyMap(readFileSync(file, 'utf8').replace(/^\)\]\}'[^\n]*\n/, ''))
  } catch (e) {
    writeSync(1, JSON.stringify({ file, error: String(e) }) + '\n')
    continue
  }
  const answers = []
  const ask = (line, column) => {
    const s = traceSegment(map, line, column)
    answers.push(s && s.length > 1 ? [line, column, s[1], s[2], s[3], s.length > 4 ? s[4] : -1] : [line, column, -1, 0, 0, -1])
  }
  decodedMappings(map).forEach((segments, line) => {
    ask(line, 0)
    segments.forEach(([column], i) => {
      if (answers.length > most) return
      ask(line, column)
      const next = segments[i + 1]?.[0] ?? column + 40
      if (next > column + 1) ask(line, (column + next) >> 1)
    })
    if (segments.length > 0) ask(line, segments[segments.length - 1][0] + 100_000)
  })
  ask(decodedMappings(map).length + 3, 0)
  writeSync(1, JSON.stringify({ file, answers }) + '\n')
}
