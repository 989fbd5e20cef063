class GateError extends Error {
  override name = 'GateError'
}

async function openGate(name: string): Promise<string> {
  await Promise.resolve()
  throw new GateError(`gate ${name} does not answer`)
}

/** Opens the first gate that answers. */
export async function openGates(names: string[]): Promise<string> {
  return await Promise.any(names.map((n) => openGate(n)))
}
