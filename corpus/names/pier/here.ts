// Notes who calls it: the stack as V8 has it, without its own frame.
export interface Seen { file: string; line: number; column: number; name: string; type: string; made: string }

export const seen: Seen[] = []

export function here(..._: unknown[]): void {
  const prepare = Error.prepareStackTrace, limit = Error.stackTraceLimit
  Error.stackTraceLimit = 12
  Error.prepareStackTrace = (_error, sites) => sites
  const holder: { stack?: NodeJS.CallSite[] } = {}
  Error.captureStackTrace(holder, here)
  const sites = holder.stack as NodeJS.CallSite[]
  Error.prepareStackTrace = prepare
  Error.stackTraceLimit = limit
  for (const s of sites) {
    const file = s.getFileName() ?? ''
    if (!file || file.startsWith('node:')) continue
    seen.push({ file, line: s.getLineNumber() ?? 0, column: s.getColumnNumber() ?? 0, name: s.getFunctionName() || (s.getMethodName() ?? '').replace(/^[^[].*/, ''), type: s.getTypeName() ?? '', made: s.isConstructor() ? 'new' : '' })
  }
}
