// What fails in the server.
export const served: Record<string, (() => unknown)[]> = {
  'no such route': [() => dispatch('/tides', ''), () => dispatch('/gates/17', '')],
  'no such ship': [() => dispatch('/ships', 'name=Moor'), () => shipOf('Kell')],
  'ship without a hold': [() => dispatch('/ships', 'name=Gull'), () => shipOf('Gull')],
  'manifest is no JSON': [() => dispatch('/manifest', '', '<x>'), () => manifest('{')],
  'manifest without items': [() => dispatch('/manifest', '', '{}')],
  'load is not there': [() => dispatch('/loads', 'ship=eider'), () => loadOf('gull')],
  'key cannot be read': [() => dispatch('/keys', 'id=7'), () => keyOf('0b6f1f0a')],
  'address that is not ours': [() => listen(8080), () => listen(9090)],
  'buffer of a wrong size': [() => limits(-1), () => limits(-70)],
  'job below nothing': [() => worker([async () => 1, async () => -3]), () => worker([async () => -9])],
  'ship that cannot moor': [() => moorLater({})],
  'ship without a name to sail': [() => sailLater({})],
}
