"use strict";
var __extends = (this && this.__extends) || (function () {
    var extendStatics = function (d, b) {
        extendStatics = Object.setPrototypeOf ||
            ({ __proto__: [] } instanceof Array && function (d, b) { d.__proto__ = b; }) ||
            function (d, b) { for (var p in b) if (Object.prototype.hasOwnProperty.call(b, p)) d[p] = b[p]; };
        return extendStatics(d, b);
    };
    return function (d, b) {
        if (typeof b !== "function" && b !== null)
            throw new TypeError("Class extends value " + String(b) + " is not a constructor or null");
        extendStatics(d, b);
        function __() { this.constructor = d; }
        d.prototype = b === null ? Object.create(b) : (__.prototype = b.prototype, new __());
    };
})();
var __createBinding = (this && this.__createBinding) || (Object.create ? (function(o, m, k, k2) {
    if (k2 === undefined) k2 = k;
    var desc = Object.getOwnPropertyDescriptor(m, k);
    if (!desc || ("get" in desc ? !m.__esModule : desc.writable || desc.configurable)) {
      desc = { enumerable: true, get: function() { return m[k]; } };
    }
    Object.defineProperty(o, k2, desc);
}) : (function(o, m, k, k2) {
    if (k2 === undefined) k2 = k;
    o[k2] = m[k];
}));
var __setModuleDefault = (this && this.__setModuleDefault) || (Object.create ? (function(o, v) {
    Object.defineProperty(o, "default", { enumerable: true, value: v });
}) : function(o, v) {
    o["default"] = v;
});
var __importStar = (this && this.__importStar) || (function () {
    var ownKeys = function(o) {
        ownKeys = Object.getOwnPropertyNames || function (o) {
            var ar = [];
            for (var k in o) if (Object.prototype.hasOwnProperty.call(o, k)) ar[ar.length] = k;
            return ar;
        };
        return ownKeys(o);
    };
    return function (mod) {
        if (mod && mod.__esModule) return mod;
        var result = {};
        if (mod != null) for (var k = ownKeys(mod), i = 0; i < k.length; i++) if (k[i] !== "default") __createBinding(result, mod, k[i]);
        __setModuleDefault(result, mod);
        return result;
    };
})();
var __read = (this && this.__read) || function (o, n) {
    var m = typeof Symbol === "function" && o[Symbol.iterator];
    if (!m) return o;
    var i = m.call(o), r, ar = [], e;
    try {
        while ((n === void 0 || n-- > 0) && !(r = i.next()).done) ar.push(r.value);
    }
    catch (error) { e = { error: error }; }
    finally {
        try {
            if (r && !r.done && (m = i["return"])) m.call(i);
        }
        finally { if (e) throw e.error; }
    }
    return ar;
};
var __spreadArray = (this && this.__spreadArray) || function (to, from, pack) {
    if (pack || arguments.length === 2) for (var i = 0, l = from.length, ar; i < l; i++) {
        if (ar || !(i in from)) {
            if (!ar) ar = Array.prototype.slice.call(from, 0, i);
            ar[i] = from[i];
        }
    }
    return to.concat(ar || Array.prototype.slice.call(from));
};
Object.defineProperty(exports, "__esModule", { value: true });
exports.Panel = exports.Ref = exports.Memo = exports.Badge = void 0;
exports.useCrew = useCrew;
exports.Table = Table;
exports.default = App;
exports.everything = everything;
exports.handlers = handlers;
var jsx_runtime_1 = require("react/jsx-runtime");
// Components, with what they are made of.
var React = __importStar(require("react"));
var server_1 = require("react-dom/server");
var here_1 = require("./here");
var Crew = React.createContext({ names: [] });
function useCrew(pick) { (0, here_1.here)(); var names = React.useContext(Crew).names; return React.useMemo(function () { (0, here_1.here)(); return pick(names); }, [names, pick]); }
function Table(_a) {
    var rows = _a.rows, render = _a.render, _b = _a.onPick, onPick = _b === void 0 ? function () { (0, here_1.here)(); } : _b;
    (0, here_1.here)();
    var _c = __read(React.useState(function () { (0, here_1.here)(); return rows.length < 3; }), 1), state = _c[0];
    var pick = React.useCallback(function (row) { (0, here_1.here)(); onPick(row); }, [onPick]);
    rows.forEach(function (row) { return pick(row); });
    return (0, jsx_runtime_1.jsx)("table", { "data-open": state, children: (0, jsx_runtime_1.jsx)("tbody", { children: rows.map(function (row, i) { (0, here_1.here)(); return (0, jsx_runtime_1.jsx)("tr", { onClick: function () { (0, here_1.here)(row); }, children: render(row, i) }, row.id); }) }) });
}
var Badge = function (_a) {
    var n = _a.n;
    (0, here_1.here)();
    return (0, jsx_runtime_1.jsxs)("b", { children: [n > 1 ? "".concat(n, " crew") : 'alone', " isn't ", "it's", " < that"] });
};
exports.Badge = Badge;
exports.Memo = React.memo(function Inner(_a) {
    var n = _a.n;
    (0, here_1.here)();
    return (0, jsx_runtime_1.jsx)(exports.Badge, { n: n });
});
exports.Ref = React.forwardRef(function (_a, ref) {
    var label = _a.label;
    (0, here_1.here)();
    return (0, jsx_runtime_1.jsx)("div", { ref: ref, children: label });
});
var Panel = /** @class */ (function (_super) {
    __extends(Panel, _super);
    function Panel() {
        var _this = _super.apply(this, __spreadArray([], __read(arguments), false)) || this;
        Object.defineProperty(_this, "state", {
            enumerable: true,
            configurable: true,
            writable: true,
            value: { n: 1 }
        });
        Object.defineProperty(_this, "turn", {
            enumerable: true,
            configurable: true,
            writable: true,
            value: function (n) { (0, here_1.here)(); return n; }
        });
        return _this;
    }
    Object.defineProperty(Panel.prototype, "twice", {
        get: function () { (0, here_1.here)(); return this.state.n * 2; },
        enumerable: false,
        configurable: true
    });
    Object.defineProperty(Panel.prototype, "componentDidMount", {
        enumerable: false,
        configurable: true,
        writable: true,
        value: function () { (0, here_1.here)(); }
    });
    Object.defineProperty(Panel.prototype, "render", {
        enumerable: false,
        configurable: true,
        writable: true,
        value: function () { (0, here_1.here)(); return (0, jsx_runtime_1.jsx)(jsx_runtime_1.Fragment, { children: this.props.children(this.turn(this.twice)) }); }
    });
    return Panel;
}(React.Component));
exports.Panel = Panel;
function App(_a) {
    var names = _a.names;
    (0, here_1.here)();
    var count = useCrew(function (list) { (0, here_1.here)(); return list.length; });
    var rows = names.map(function (name, id) { (0, here_1.here)(); return { id: id, name: name }; });
    return (0, jsx_runtime_1.jsxs)(Crew.Provider, { value: { names: names }, children: [(0, jsx_runtime_1.jsx)(Table, { rows: rows, render: function (row) { (0, here_1.here)(); return (0, jsx_runtime_1.jsx)("i", { children: row.name }); } }), (0, jsx_runtime_1.jsx)(exports.Memo, { n: count }), " ", (0, jsx_runtime_1.jsx)(exports.Ref, { label: "quay" }), " ", (0, jsx_runtime_1.jsx)(Panel, { children: function (n) { (0, here_1.here)(); return (0, jsx_runtime_1.jsx)(exports.Badge, { n: n }); } }), count > 5 && (0, jsx_runtime_1.jsx)("p", { children: (function () { (0, here_1.here)(); return 'many'; })() })] });
}
function everything() {
    (0, server_1.renderToString)((0, jsx_runtime_1.jsx)(App, { names: ['Runa', 'Liv'] }));
    var tree = Table({ rows: [{ id: 1, name: 'a' }], render: function () { (0, here_1.here)(); return null; } });
    (0, here_1.here)(tree);
}
function handlers() {
    var button = (0, jsx_runtime_1.jsx)("button", { onClick: function () { (0, here_1.here)(); }, onFocus: function () { (0, here_1.here)(); }, children: "Go" });
    button.props.onClick();
    button.props.onFocus();
}
//# sourceMappingURL=deck.js.map
