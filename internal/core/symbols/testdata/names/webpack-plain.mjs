/******/ var __webpack_modules__ = ([
/* 0 */
/***/ ((__webpack_module__, __webpack_exports__, __webpack_require__) => {

__webpack_require__.a(__webpack_module__, async (__webpack_handle_async_dependencies__, __webpack_async_result__) => { try {
__webpack_require__.r(__webpack_exports__);
/* harmony import */ var _berth_js__WEBPACK_IMPORTED_MODULE_0__ = __webpack_require__(1);
/* harmony import */ var _functions_js__WEBPACK_IMPORTED_MODULE_1__ = __webpack_require__(3);
/* harmony import */ var _packages_js__WEBPACK_IMPORTED_MODULE_2__ = __webpack_require__(4);
/* harmony import */ var _here_js__WEBPACK_IMPORTED_MODULE_3__ = __webpack_require__(2);





async function round() {
  const b = _berth_js__WEBPACK_IMPORTED_MODULE_0__.Berth.of('Kestrel Quay')
  b.depth = b.depth + 1
  b.onMoor()
  await _berth_js__WEBPACK_IMPORTED_MODULE_0__.Berth.open('North Pier')
  await b.assign('Marrow')
  for (const _ of b.slots()) (0,_here_js__WEBPACK_IMPORTED_MODULE_3__.here)()
  for await (const _ of b.tides()) (0,_here_js__WEBPACK_IMPORTED_MODULE_3__.here)()
  b.computedName(); b['quoted name'](); b[42](); b.get(); b.set(); b.static(); b.async(); b.delete(); String(b)
  const d = new _berth_js__WEBPACK_IMPORTED_MODULE_0__.DeepBerth('Deep')
  d.depth = d.depth
  await d.assign('Sound')
  new _berth_js__WEBPACK_IMPORTED_MODULE_0__.Buoy().ring(); new _berth_js__WEBPACK_IMPORTED_MODULE_0__.Named().light(); new ((0,_berth_js__WEBPACK_IMPORTED_MODULE_0__.makeClass)(_berth_js__WEBPACK_IMPORTED_MODULE_0__.Berth))('x').extra(); new _berth_js__WEBPACK_IMPORTED_MODULE_0__["default"]().unnamed()
  _functions_js__WEBPACK_IMPORTED_MODULE_1__.declared(2); await _functions_js__WEBPACK_IMPORTED_MODULE_1__.declaredAsync(); [..._functions_js__WEBPACK_IMPORTED_MODULE_1__.declaredGenerator()]
  _functions_js__WEBPACK_IMPORTED_MODULE_1__.arrow(); _functions_js__WEBPACK_IMPORTED_MODULE_1__.arrowBody(1); _functions_js__WEBPACK_IMPORTED_MODULE_1__.concise(1); _functions_js__WEBPACK_IMPORTED_MODULE_1__.concise(3); _functions_js__WEBPACK_IMPORTED_MODULE_1__.expression(); _functions_js__WEBPACK_IMPORTED_MODULE_1__.namedExpression(1); _functions_js__WEBPACK_IMPORTED_MODULE_1__.later(); _functions_js__WEBPACK_IMPORTED_MODULE_1__.maybe()
  const t = _functions_js__WEBPACK_IMPORTED_MODULE_1__.table
  t.method(); await t.asyncMethod(); [...t.generatorMethod()]; t.total = t.total; t.property(); t.arrowProperty(); t['quoted-property'](); t.computed(); [...t]
  t.nested.deep.leaf(); t.in(); t[10](); t.assigned(); t.nested.assigned(); t.bracket()
  const p = _functions_js__WEBPACK_IMPORTED_MODULE_1__.Pier.create('South'); p.moor('x'); p.cast('y'); p.own(); p.mixed(); p.length
  _functions_js__WEBPACK_IMPORTED_MODULE_1__.callbacks([3, 1, 2]); _functions_js__WEBPACK_IMPORTED_MODULE_1__.nestedHelpers(2); _functions_js__WEBPACK_IMPORTED_MODULE_1__.curry(1)(2)(3); _functions_js__WEBPACK_IMPORTED_MODULE_1__.wrapped(); _functions_js__WEBPACK_IMPORTED_MODULE_1__.ternary(); _functions_js__WEBPACK_IMPORTED_MODULE_1__.comma(); _functions_js__WEBPACK_IMPORTED_MODULE_1__.iife(); _functions_js__WEBPACK_IMPORTED_MODULE_1__.regexes('a/b'); _functions_js__WEBPACK_IMPORTED_MODULE_1__.regexes('ab'); _functions_js__WEBPACK_IMPORTED_MODULE_1__.labelled(1)
  _functions_js__WEBPACK_IMPORTED_MODULE_1__.useTag(); _functions_js__WEBPACK_IMPORTED_MODULE_1__.optional.call(() => { (0,_here_js__WEBPACK_IMPORTED_MODULE_3__.here)() }); await _functions_js__WEBPACK_IMPORTED_MODULE_1__.loops([1, 2]); _functions_js__WEBPACK_IMPORTED_MODULE_1__["default"]()
  await new Promise(done => setTimeout(() => { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_3__.here)(); done() }, 1))
  await new Promise(done => queueMicrotask(function tick() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_3__.here)(); done() }))
}

await round()
await globalThis.harbourPackages?.()
console.log(JSON.stringify(globalThis.harbourFrames()))

__webpack_async_result__();
} catch(e) { __webpack_async_result__(e); } }, 1);

/***/ }),
/* 1 */
/***/ ((__unused_webpack___webpack_module__, __webpack_exports__, __webpack_require__) => {

__webpack_require__.r(__webpack_exports__);
/* harmony export */ __webpack_require__.d(__webpack_exports__, {
/* harmony export */   Berth: () => (/* binding */ Berth),
/* harmony export */   Buoy: () => (/* binding */ Buoy),
/* harmony export */   DeepBerth: () => (/* binding */ DeepBerth),
/* harmony export */   Named: () => (/* binding */ Named),
/* harmony export */   "default": () => (__WEBPACK_DEFAULT_EXPORT__),
/* harmony export */   makeClass: () => (/* binding */ makeClass)
/* harmony export */ });
/* harmony import */ var _here_js__WEBPACK_IMPORTED_MODULE_0__ = __webpack_require__(2);
// Classes: members of every kind. here() notes the stack of whoever calls it.


class Berth {
  #lines = 0
  static count = 0
  name
  onMoor = () => { (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return this.#tie() }
  static { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); Berth.count = 0 }

  constructor(name, free = (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)()) {
    ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)()
    this.name = name
    this.free = free
    Berth.count++
  }
  static of(name) { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return new Berth(name) }
  static async open(name) { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); await null; (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return Berth.of(name) }
  get depth() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 7 }
  set depth(metres) { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(metres) }
  get #secret() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 1 }
  #tie() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return ++this.#lines + this.#secret }
  async assign(ferry) { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(ferry); await null; (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return ferry }
  *slots() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); yield 1; (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); yield 2 }
  async *tides() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); yield 'low'; (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); yield 'high' }
  ['computed' + 'Name']() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 3 }
  'quoted name'() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 4 }
  42() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 5 }
  get() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 6 }
  set() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 7 }
  static() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 8 }
  async() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 9 }
  delete() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 10 }
  toString() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return `berth ${[1].map(n => { (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return n })}` }
}

class DeepBerth extends Berth {
  constructor(name) {
    super(name)
    ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)()
  }
  get depth() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return super.depth + 5 }
  set depth(v) { super.depth = v }
  assign(ferry) {
    ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)()
    return super.assign(ferry)
  }
}

const Buoy = class {
  constructor() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)() }
  ring() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 'ding' }
}
const Named = class Lantern {
  light() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 'on' }
}
const makeClass = base => class extends base {
  extra() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 1 }
}
/* harmony default export */ const __WEBPACK_DEFAULT_EXPORT__ = { default: (class {
  unnamed() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 2 }
}) }.default;


/***/ }),
/* 2 */
/***/ ((__unused_webpack___webpack_module__, __webpack_exports__, __webpack_require__) => {

__webpack_require__.r(__webpack_exports__);
/* harmony export */ __webpack_require__.d(__webpack_exports__, {
/* harmony export */   here: () => (/* binding */ here)
/* harmony export */ });
// Notes the frames of whoever calls, once for each place.
const seen = new Map()
function here() {
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


/***/ }),
/* 3 */
/***/ ((__unused_webpack___webpack_module__, __webpack_exports__, __webpack_require__) => {

__webpack_require__.r(__webpack_exports__);
/* harmony export */ __webpack_require__.d(__webpack_exports__, {
/* harmony export */   Pier: () => (/* binding */ Pier),
/* harmony export */   arrow: () => (/* binding */ arrow),
/* harmony export */   arrowBody: () => (/* binding */ arrowBody),
/* harmony export */   callbacks: () => (/* binding */ callbacks),
/* harmony export */   comma: () => (/* binding */ comma),
/* harmony export */   concise: () => (/* binding */ concise),
/* harmony export */   curry: () => (/* binding */ curry),
/* harmony export */   declared: () => (/* binding */ declared),
/* harmony export */   declaredAsync: () => (/* binding */ declaredAsync),
/* harmony export */   declaredGenerator: () => (/* binding */ declaredGenerator),
/* harmony export */   "default": () => (/* export default binding */ __WEBPACK_DEFAULT_EXPORT__),
/* harmony export */   expression: () => (/* binding */ expression),
/* harmony export */   iife: () => (/* binding */ iife),
/* harmony export */   labelled: () => (/* binding */ labelled),
/* harmony export */   later: () => (/* binding */ later),
/* harmony export */   loops: () => (/* binding */ loops),
/* harmony export */   maybe: () => (/* binding */ maybe),
/* harmony export */   namedExpression: () => (/* binding */ namedExpression),
/* harmony export */   nestedHelpers: () => (/* binding */ nestedHelpers),
/* harmony export */   once: () => (/* binding */ once),
/* harmony export */   optional: () => (/* binding */ optional),
/* harmony export */   regexes: () => (/* binding */ regexes),
/* harmony export */   table: () => (/* binding */ table),
/* harmony export */   tagged: () => (/* binding */ tagged),
/* harmony export */   ternary: () => (/* binding */ ternary),
/* harmony export */   useTag: () => (/* binding */ useTag),
/* harmony export */   wrapped: () => (/* binding */ wrapped)
/* harmony export */ });
__webpack_require__.dn(__WEBPACK_DEFAULT_EXPORT__);
/* harmony import */ var _here_js__WEBPACK_IMPORTED_MODULE_0__ = __webpack_require__(2);
// Functions bound in every way the language names them, and those it does not.


function declared(n) { (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return n > 0 ? declared(n - 1) : n }
async function declaredAsync() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); await null; (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)() }
function* declaredGenerator() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); yield 1; (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)() }
const arrow = () => (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)()
const arrowBody = (a, b = 2) => { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return a + b }
const concise = n => n > 2 ? ((0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(), n) : ((0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(), -n)
const expression = function () { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 1 }
const namedExpression = function inner(n) { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return n ? inner(n - 1) : 0 }
let later
later = () => { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 1 }
let maybe
maybe ??= () => { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 2 }
maybe ||= () => { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 3 }


const table = {
  method() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 1 },
  async asyncMethod() { (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); await null; (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)() },
  *generatorMethod() { (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); yield 1 },
  get total() { (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 2 },
  set total(v) { (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(v) },
  property: function () { (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 3 },
  arrowProperty: () => { (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 4 },
  'quoted-property': () => { (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 5 },
  ['comp' + 'uted']: () => { (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 6 },
  [Symbol.iterator]: function* () { (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); yield 1 },
  nested: { deep: { leaf() { (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 7 } } },
  in: () => { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 8 },
  10: () => { (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 9 },
}
table.assigned = function () { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 10 }
table.nested.assigned = () => { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 11 }
table['bracket'] = () => { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 12 }

function Pier(name) {
  ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)()
  this.name = name
  this.own = () => { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 1 }
}
Pier.prototype.moor = function (ferry) { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return ferry }
Pier.prototype.cast = ferry => { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return ferry }
Pier.create = function (name) { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return new Pier(name) }
Object.assign(Pier.prototype, { mixed() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 2 } })
Object.defineProperty(Pier.prototype, 'length', { get() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 30 } })

function callbacks(list) {
  ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)()
  return list
    .map(n => { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return n + 1 })
    .filter(function (n) { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return n > 1 })
    .sort((a, b) => ((0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(), a - b))
    .reduce(function sum(a, n) { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return a + n }, 0)
}
function nestedHelpers(n) {
  function helper(m) { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return m * 2 }
  const twice = m => { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return helper(helper(m)) }
  const { missing = () => { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 1 } } = {}
  const [other = function () { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 2 }] = []
  return twice(n) + missing() + other()
}
const curry = a => b => c => { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return a + b + c }
const wrapped = once(() => { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 5 })
function once(f) { let done; return (...args) => { (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return (done ??= { v: f(...args) }).v } }
const ternary = Date.now() > 0 ? () => { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 1 } : () => { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 2 }
const comma = (0, () => { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 3 })
const iife = (function setUp() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return () => { (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 4 } })()
const regexes = s => { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return /[/}'"`]+/.test(s) ? s.split(/\//).map(p => { (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return p }) : `a${(() => { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return `b${s}}` })()}` }
const labelled = n => { outer: for (const i of [1, 2]) { for (;;) { (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); if (i > n) break outer; continue outer } } return n }
const tagged = (strings, ...values) => { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return strings.raw.join() + values }
function useTag() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return tagged`x${(() => { (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 1 })()}y` }
const optional = { call: null }
optional.call = n => { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return n?.() }
async function loops(list) {
  for await (const x of list) { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(x) }
  switch (list.length) { case 1: ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); break; default: { (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)() } }
  try { throw new TypeError('x') } catch { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)() } finally { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)() }
  await Promise.all(list.map(async x => { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); await null; (0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return x }))
}
/* harmony default export */ function __WEBPACK_DEFAULT_EXPORT__() { ;(0,_here_js__WEBPACK_IMPORTED_MODULE_0__.here)(); return 'default' }


/***/ }),
/* 4 */
/***/ ((__unused_webpack___webpack_module__, __webpack_exports__, __webpack_require__) => {

__webpack_require__.r(__webpack_exports__);
// the packages are not part of this build


/***/ })
/******/ ]);
/************************************************************************/
/******/ // The module cache
/******/ const __webpack_module_cache__ = {};
/******/ 
/******/ // The require function
/******/ function __webpack_require__(moduleId) {
/******/ 	// Check if module is in cache
/******/ 	const cachedModule = __webpack_module_cache__[moduleId];
/******/ 	if (cachedModule !== undefined) {
/******/ 		return cachedModule.exports;
/******/ 	}
/******/ 	// Create a new module (and put it into the cache)
/******/ 	const module = __webpack_module_cache__[moduleId] = {
/******/ 		// no module.id needed
/******/ 		// no module.loaded needed
/******/ 		exports: {}
/******/ 	};
/******/ 
/******/ 	// Execute the module function
/******/ 	__webpack_modules__[moduleId](module, module.exports, __webpack_require__);
/******/ 
/******/ 	// Return the exports of the module
/******/ 	return module.exports;
/******/ }
/******/ 
/************************************************************************/
/******/ /* webpack/runtime/async module */
/******/ (() => {
/******/ 	const webpackQueues = Symbol("webpack queues");
/******/ 	const webpackExports = Symbol("webpack exports");
/******/ 	const webpackError = Symbol("webpack error");
/******/ 	
/******/ 	const resolveQueue = (queue) => {
/******/ 		if(queue?.d < 1) {
/******/ 			queue.d = 1;
/******/ 			queue.forEach((fn) => (fn.r--));
/******/ 			queue.forEach((fn) => (fn.r-- ? fn.r++ : fn()));
/******/ 		}
/******/ 	}
/******/ 	const wrapDeps = (deps) => (deps.map((dep) => {
/******/ 		if(dep !== null && typeof dep === "object") {
/******/ 	
/******/ 			if(dep[webpackQueues]) return dep;
/******/ 			if(dep.then) {
/******/ 				const queue = [];
/******/ 				queue.d = 0;
/******/ 				dep.then((r) => {
/******/ 					obj[webpackExports] = r;
/******/ 					resolveQueue(queue);
/******/ 				}, (e) => {
/******/ 					obj[webpackError] = e;
/******/ 					resolveQueue(queue);
/******/ 				});
/******/ 				const obj = {};
/******/ 	
/******/ 				obj[webpackQueues] = (fn) => (fn(queue));
/******/ 				return obj;
/******/ 			}
/******/ 		}
/******/ 		const ret = {};
/******/ 		ret[webpackQueues] = x => {};
/******/ 		ret[webpackExports] = dep;
/******/ 		return ret;
/******/ 	}));
/******/ 	__webpack_require__.a = (module, body, hasAwait) => {
/******/ 		let queue;
/******/ 		hasAwait && ((queue = []).d = -1);
/******/ 		const depQueues = new Set();
/******/ 		const exports = module.exports;
/******/ 		let currentDeps;
/******/ 		let outerResolve;
/******/ 		let reject;
/******/ 		const promise = new Promise((resolve, rej) => {
/******/ 			reject = rej;
/******/ 			outerResolve = resolve;
/******/ 		});
/******/ 		promise[webpackExports] = exports;
/******/ 		promise[webpackQueues] = (fn) => (queue && fn(queue), depQueues.forEach(fn), promise["catch"](x => {}));
/******/ 		module.exports = promise;
/******/ 		const handle = (deps) => {
/******/ 			currentDeps = wrapDeps(deps);
/******/ 			let fn;
/******/ 			const getResult = () => (currentDeps.map((d) => {
/******/ 	
/******/ 				if(d[webpackError]) throw d[webpackError];
/******/ 				return d[webpackExports];
/******/ 			}))
/******/ 			const promise = new Promise((resolve) => {
/******/ 				fn = () => (resolve(getResult));
/******/ 				fn.r = 0;
/******/ 				const fnQueue = (q) => (q !== queue && !depQueues.has(q) && (depQueues.add(q), q && !q.d && (fn.r++, q.push(fn))));
/******/ 				currentDeps.forEach((dep) => (dep[webpackQueues](fnQueue)));
/******/ 			});
/******/ 			return fn.r ? promise : getResult();
/******/ 		}
/******/ 		const done = (err) => ((err ? reject(promise[webpackError] = err) : outerResolve(exports)), resolveQueue(queue))
/******/ 	
/******/ 		body(handle, done);
/******/ 		queue?.d < 0 && (queue.d = 0);
/******/ 	};
/******/ })();
/******/ 
/******/ /* webpack/runtime/define property getters */
/******/ // define getter/value functions for harmony exports
/******/ __webpack_require__.d = (exports, definition) => {
/******/ 	for(var key in definition) {
/******/ 		if(__webpack_require__.o(definition, key) && !__webpack_require__.o(exports, key)) {
/******/ 			Object.defineProperty(exports, key, { enumerable: true, get: definition[key] });
/******/ 		}
/******/ 	}
/******/ };
/******/ 
/******/ /* webpack/runtime/hasOwnProperty shorthand */
/******/ __webpack_require__.o = (obj, prop) => (Object.hasOwn(obj, prop));
/******/ 
/******/ /* webpack/runtime/make namespace object */
/******/ // define __esModule on exports
/******/ __webpack_require__.r = (exports) => {
/******/ 	Object.defineProperty(exports, Symbol.toStringTag, { value: 'Module' });
/******/ 	Object.defineProperty(exports, '__esModule', { value: true });
/******/ };
/******/ 
/******/ /* webpack/runtime/set anonymous default export name */
/******/ // set .name for anonymous default exports per ES spec
/******/ // skipped when the property is non-configurable (pre-ES2015 engines),
/******/ // where Object.defineProperty would throw
/******/ __webpack_require__.dn = (x) => {
/******/ 	var descriptor = Object.getOwnPropertyDescriptor(x, "name");
/******/ 	if (!descriptor || (!descriptor.writable && descriptor.configurable)) Object.defineProperty(x, "name", { value: "default", configurable: true });
/******/ };
/******/ 
/************************************************************************/
/******/ 
/******/ // startup
/******/ // Load entry module and return exports
/******/ // This entry module used 'module' so it can't be inlined
/******/ let __webpack_exports__ = __webpack_require__(0);
/******/ __webpack_exports__ = await __webpack_exports__;
/******/ 

//# sourceMappingURL=webpack-plain.mjs.map
