import { computed as e, createSSRApp as t, defineComponent as n, mergeProps as r, onServerPrefetch as i, reactive as a, ref as o, useSSRContext as s, watch as c } from "vue";
import { renderToString as l, ssrInterpolate as u, ssrRenderAttrs as d, ssrRenderComponent as f, ssrRenderList as p } from "vue/server-renderer";
import { render as m } from "svelte/server";
import * as h from "svelte/internal/server";
// names/components/here.ts
var g = [];
function _(...e) {
	let t = Error.prepareStackTrace, n = Error.stackTraceLimit;
	Error.stackTraceLimit = 12, Error.prepareStackTrace = (e, t) => t;
	let r = {};
	Error.captureStackTrace(r, _);
	let i = r.stack;
	Error.prepareStackTrace = t, Error.stackTraceLimit = n;
	for (let e of i) {
		let t = e.getFileName() ?? "";
		t && !t.startsWith("node:") && g.push({
			file: t,
			line: e.getLineNumber() ?? 0,
			column: e.getColumnNumber() ?? 0,
			name: e.getFunctionName() || (e.getMethodName() ?? "").replace(/^[^[].*/, ""),
			type: e.getTypeName() ?? "",
			made: e.isConstructor() ? "new" : ""
		});
	}
}
// names/components/Berth.vue?vue&type=script&lang.ts
var v = (e) => (_(), e / 2), y = n({
	props: { depth: {
		type: Number,
		default() {
			return _(), 2;
		}
	} },
	setup(e) {
		return _(), { base: v(e.depth) };
	},
	data() {
		return _(), { list: [1, 2].map((e) => (_(), e)) };
	},
	computed: { twice() {
		return _(), this.depth * 2;
	} },
	created() {
		_();
	},
	methods: { name() {
		return _(), this.list.join();
	} }
}), b = (e, t) => {
	let n = e.__vccOpts || e;
	for (let [e, r] of t) n[e] = r;
	return n;
};
// names/components/Berth.vue
function x(e, t, n, r, i, a, o, s) {
	t(`<i${d(r)}>${u(e.twice)} ${u(e.name())}</i>`);
}
var S = y.setup;
y.setup = (e, t) => {
	let n = s();
	return (n.modules ||= /* @__PURE__ */ new Set()).add("Berth.vue"), S ? S(e, t) : void 0;
};
var C = /*#__PURE__*/ b(y, [["ssrRender", x]]), w = (e) => (_(), `deck ${e}`), T = /*@__PURE__*/ n({
	__name: "Deck",
	__ssrInlineRender: !0,
	props: {
		rows: { default: () => (_(), [{ id: 1 }, { id: 2 }]) },
		pick: {}
	},
	setup(t) {
		let n = t, s = o(!0), l = a({
			seats: 3,
			get free() {
				return _(), this.seats;
			}
		}), m = e(() => (_(), n.rows.length));
		function h(e) {
			return _(), [e].reduce((e, t) => (_(), e + t), 0);
		}
		let g = async (e) => (_(), await null, _(), e);
		class v {
			#e = 1;
			get height() {
				return _(), this.#e;
			}
			raise = (e) => {
				_(), this.#e += e;
			};
		}
		let y = new v();
		return y.raise(2), _(y.height), i(async () => {
			_(), await g(1);
		}), c(s, (e) => {
			_(e);
		}, { immediate: !0 }), (e, t, i, a) => {
			s.value ? (t(`<section${d(r({ "data-free": l.free }, a))} data-v-47da6282><!--[-->`), p(n.rows, (e) => {
				t(`<p data-v-47da6282>${u(w(e.id))} of ${u(h(m.value))}</p>`);
			}), t("<!--]-->"), t(f(C, { depth: 4 }, null, i)), t("</section>")) : t("<!---->");
		};
	}
}), E = T.setup;
T.setup = (e, t) => {
	let n = s();
	return (n.modules ||= /* @__PURE__ */ new Set()).add("Deck.vue"), E ? E(e, t) : void 0;
};
var D = /*#__PURE__*/ b(T, [["__scopeId", "data-v-47da6282"]]);
// names/components/Quay.svelte
function O(e) {
	return _(), e;
}
function k(e, t) {
	e.component((e) => {
		let { rows: n = [1, 2], pick: r = (e) => (_(), e) } = t, i = (e) => (_(), `quay ${O(e)}`), a = h.derived(() => (_(), n.reduce((e, t) => (_(), e + t), 0)));
		async function o() {
			_(), await null, _();
		}
		class s {
			length = 1;
			pull = (e) => {
				_(), this.length += e;
			};
			static of() {
				return _(), new s();
			}
		}
		s.of().pull(2), o(), _(), e.push("<!--[-->");
		let c = h.ensure_array_like(n);
		for (let t = 0, n = c.length; t < n; t++) {
			let n = c[t];
			e.push(`<p>${h.escape(i(r(n)))}</p>`);
		}
		e.push(`<!--]--> <b>${h.escape(a())}</b>`);
	});
}
// names/components/main.ts
async function A() {
	await l(t(D)), await Promise.resolve(m(k, {}).body), await null;
}
A().then(() => {
	console.log(JSON.stringify(g));
}, (e) => {
	console.error(e), process.exitCode = 1;
});
export {};

//# sourceMappingURL=main.js.map