function assign(roster, name) {
  try {
    return roster[name].berth
  } catch (e) {
    throw new Error(`nobody is called ${name}`, { cause: e })
  }
}
class Gate {
  async open() {
    await null
    throw new AggregateError([new TypeError('north'), new RangeError('south')], 'two gates failed')
  }
}
const how = process.argv[2]
if (how === 'cause') [1].map(() => assign({}, 'Ines'))
else await new Gate().open()
