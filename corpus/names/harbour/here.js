// Notes the frames of whoever calls, once for each place.
const seen = new Map()
export function here() {
  const limit = Error.stackTraceLimit, prepare = Error.prepareStackTrace
  Error.stackTraceLimit = 60
  Error.prepareStackTrace = (_, sites) => sites
  const sites = new Error().stack
  Error.prepareStackTrace = prepare
  Error.stackTraceLimit = limit
  for (const s of sites.slice(1)) {
    const file = s.getScriptNameOrSourceURL()
    if (!file || file.startsWith('node:')) continue
    const key = `${file}:${s.getLineNumber()}:${s.getColumnNumber()}`
    if (seen.has(key)) continue
    const receiver = s.isConstructor() ? 'new' : ''
    seen.set(key, { file, line: s.getLineNumber(), column: s.getColumnNumber(), name: s.getFunctionName() ?? '', type: s.isToplevel() ? '' : s.getTypeName() ?? '', made: receiver })
  }
}
globalThis.harbourFrames = () => [...seen.values()]
