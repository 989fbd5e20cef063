export class AssertionError extends Error {
  override name = 'AssertionError'
}

export function assert(ok: boolean, words: string): asserts ok {
  if (!ok) throw new AssertionError(words)
}
