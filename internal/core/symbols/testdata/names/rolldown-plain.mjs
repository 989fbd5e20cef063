// names/build-of-harbour/harbour/here.js
const seen = /* @__PURE__ */ new Map();
function here() {
	const limit = Error.stackTraceLimit, prepare = Error.prepareStackTrace;
	Error.stackTraceLimit = 60;
	Error.prepareStackTrace = (_, sites) => sites;
	const sites = (/* @__PURE__ */ new Error()).stack;
	Error.prepareStackTrace = prepare;
	Error.stackTraceLimit = limit;
	for (const s of sites.slice(1)) {
		const file = s.getScriptNameOrSourceURL();
		if (!file || file.startsWith("node:")) continue;
		const key = `${file}:${s.getLineNumber()}:${s.getColumnNumber()}`;
		if (seen.has(key)) continue;
		const receiver = s.isConstructor() ? "new" : "";
		seen.set(key, {
			file,
			line: s.getLineNumber(),
			column: s.getColumnNumber(),
			name: s.getFunctionName() ?? "",
			type: s.isToplevel() ? "" : s.getTypeName() ?? "",
			made: receiver
		});
	}
}
globalThis.harbourFrames = () => [...seen.values()];

// names/build-of-harbour/harbour/berth.js
var Berth = class Berth {
	#lines = 0;
	static count = 0;
	name;
	onMoor = () => {
		here();
		return this.#tie();
	};
	static {
		here();
		Berth.count = 0;
	}
	constructor(name, free = here()) {
		here();
		this.name = name;
		this.free = free;
		Berth.count++;
	}
	static of(name) {
		here();
		return new Berth(name);
	}
	static async open(name) {
		here();
		await null;
		here();
		return Berth.of(name);
	}
	get depth() {
		here();
		return 7;
	}
	set depth(metres) {
		here(metres);
	}
	get #secret() {
		here();
		return 1;
	}
	#tie() {
		here();
		return ++this.#lines + this.#secret;
	}
	async assign(ferry) {
		here(ferry);
		await null;
		here();
		return ferry;
	}
	*slots() {
		here();
		yield 1;
		here();
		yield 2;
	}
	async *tides() {
		here();
		yield "low";
		here();
		yield "high";
	}
	["computedName"]() {
		here();
		return 3;
	}
	"quoted name"() {
		here();
		return 4;
	}
	42() {
		here();
		return 5;
	}
	get() {
		here();
		return 6;
	}
	set() {
		here();
		return 7;
	}
	static() {
		here();
		return 8;
	}
	async() {
		here();
		return 9;
	}
	delete() {
		here();
		return 10;
	}
	toString() {
		here();
		return `berth ${[1].map((n) => {
			here();
			return n;
		})}`;
	}
};
var DeepBerth = class extends Berth {
	constructor(name) {
		super(name);
		here();
	}
	get depth() {
		here();
		return super.depth + 5;
	}
	set depth(v) {
		super.depth = v;
	}
	assign(ferry) {
		here();
		return super.assign(ferry);
	}
};
const Buoy = class {
	constructor() {
		here();
	}
	ring() {
		here();
		return "ding";
	}
};
const Named = class Lantern {
	light() {
		here();
		return "on";
	}
};
const makeClass = (base) => class extends base {
	extra() {
		here();
		return 1;
	}
};
var berth_default = class {
	unnamed() {
		here();
		return 2;
	}
};

// names/build-of-harbour/harbour/functions.js
function declared(n) {
	here();
	return n > 0 ? declared(n - 1) : n;
}
async function declaredAsync() {
	here();
	await null;
	here();
}
function* declaredGenerator() {
	here();
	yield 1;
	here();
}
const arrow = () => here();
const arrowBody = (a, b = 2) => {
	here();
	return a + b;
};
const concise = (n) => n > 2 ? (here(), n) : (here(), -n);
const expression = function() {
	here();
	return 1;
};
const namedExpression = function inner(n) {
	here();
	return n ? inner(n - 1) : 0;
};
let later;
later = () => {
	here();
	return 1;
};
let maybe;
maybe ??= () => {
	here();
	return 2;
};
maybe ||= () => {
	here();
	return 3;
};
const table = {
	method() {
		here();
		return 1;
	},
	async asyncMethod() {
		here();
		await null;
		here();
	},
	*generatorMethod() {
		here();
		yield 1;
	},
	get total() {
		here();
		return 2;
	},
	set total(v) {
		here(v);
	},
	property: function() {
		here();
		return 3;
	},
	arrowProperty: () => {
		here();
		return 4;
	},
	"quoted-property": () => {
		here();
		return 5;
	},
	["computed"]: () => {
		here();
		return 6;
	},
	[Symbol.iterator]: function* () {
		here();
		yield 1;
	},
	nested: { deep: { leaf() {
		here();
		return 7;
	} } },
	in: () => {
		here();
		return 8;
	},
	10: () => {
		here();
		return 9;
	}
};
table.assigned = function() {
	here();
	return 10;
};
table.nested.assigned = () => {
	here();
	return 11;
};
table["bracket"] = () => {
	here();
	return 12;
};
function Pier(name) {
	here();
	this.name = name;
	this.own = () => {
		here();
		return 1;
	};
}
Pier.prototype.moor = function(ferry) {
	here();
	return ferry;
};
Pier.prototype.cast = (ferry) => {
	here();
	return ferry;
};
Pier.create = function(name) {
	here();
	return new Pier(name);
};
Object.assign(Pier.prototype, { mixed() {
	here();
	return 2;
} });
Object.defineProperty(Pier.prototype, "length", { get() {
	here();
	return 30;
} });
function callbacks(list) {
	here();
	return list.map((n) => {
		here();
		return n + 1;
	}).filter(function(n) {
		here();
		return n > 1;
	}).sort((a, b) => (here(), a - b)).reduce(function sum(a, n) {
		here();
		return a + n;
	}, 0);
}
function nestedHelpers(n) {
	function helper(m) {
		here();
		return m * 2;
	}
	const twice = (m) => {
		here();
		return helper(helper(m));
	};
	const { missing = () => {
		here();
		return 1;
	} } = {};
	const [other = function() {
		here();
		return 2;
	}] = [];
	return twice(n) + missing() + other();
}
const curry = (a) => (b) => (c) => {
	here();
	return a + b + c;
};
const wrapped = once(() => {
	here();
	return 5;
});
function once(f) {
	let done;
	return (...args) => {
		here();
		return (done ??= { v: f(...args) }).v;
	};
}
const ternary = Date.now() > 0 ? () => {
	here();
	return 1;
} : () => {
	here();
	return 2;
};
const comma = () => {
	here();
	return 3;
};
const iife = (function setUp() {
	here();
	return () => {
		here();
		return 4;
	};
})();
const regexes = (s) => {
	here();
	return /[/}'"`]+/.test(s) ? s.split(/\//).map((p) => {
		here();
		return p;
	}) : `a${(() => {
		here();
		return `b${s}}`;
	})()}`;
};
const labelled = (n) => {
	outer: for (const i of [1, 2]) for (;;) {
		here();
		if (i > n) break outer;
		continue outer;
	}
	return n;
};
const tagged = (strings, ...values) => {
	here();
	return strings.raw.join() + values;
};
function useTag() {
	here();
	return tagged`x${(() => {
		here();
		return 1;
	})()}y`;
}
const optional = { call: null };
optional.call = (n) => {
	here();
	return n?.();
};
async function loops(list) {
	for await (const x of list) here(x);
	switch (list.length) {
		case 1:
			here();
			break;
		default: here();
	}
	try {
		throw new TypeError("x");
	} catch {
		here();
	} finally {
		here();
	}
	await Promise.all(list.map(async (x) => {
		here();
		await null;
		here();
		return x;
	}));
}
function functions_default() {
	here();
	return "default";
}

// names/build-of-harbour/harbour/main.js
async function round() {
	const b = Berth.of("Kestrel Quay");
	b.depth = b.depth + 1;
	b.onMoor();
	await Berth.open("North Pier");
	await b.assign("Marrow");
	for (const _ of b.slots()) here();
	for await (const _ of b.tides()) here();
	b.computedName();
	b["quoted name"]();
	b[42]();
	b.get();
	b.set();
	b.static();
	b.async();
	b.delete();
	const d = new DeepBerth("Deep");
	d.depth = d.depth;
	await d.assign("Sound");
	new Buoy().ring();
	new Named().light();
	new (makeClass(Berth))("x").extra();
	new berth_default().unnamed();
	declared(2);
	await declaredAsync();
	[...declaredGenerator()];
	arrow();
	arrowBody(1);
	concise(1);
	concise(3);
	expression();
	namedExpression(1);
	later();
	maybe();
	const t = table;
	t.method();
	await t.asyncMethod();
	[...t.generatorMethod()];
	t.total = t.total;
	t.property();
	t.arrowProperty();
	t["quoted-property"]();
	t.computed();
	[...t];
	t.nested.deep.leaf();
	t.in();
	t[10]();
	t.assigned();
	t.nested.assigned();
	t.bracket();
	const p = Pier.create("South");
	p.moor("x");
	p.cast("y");
	p.own();
	p.mixed();
	p.length;
	callbacks([
		3,
		1,
		2
	]);
	nestedHelpers(2);
	curry(1)(2)(3);
	wrapped();
	ternary();
	comma();
	iife();
	regexes("a/b");
	regexes("ab");
	labelled(1);
	useTag();
	optional.call(() => {
		here();
	});
	await loops([1, 2]);
	functions_default();
	await new Promise((done) => setTimeout(() => {
		here();
		done();
	}, 1));
	await new Promise((done) => queueMicrotask(function tick() {
		here();
		done();
	}));
}
await round();
await globalThis.harbourPackages?.();
console.log(JSON.stringify(globalThis.harbourFrames()));

export {  };
//# sourceMappingURL=rolldown-plain.mjs.map
