"use strict";
var __makeTemplateObject = (this && this.__makeTemplateObject) || function (cooked, raw) {
    if (Object.defineProperty) { Object.defineProperty(cooked, "raw", { value: raw }); } else { cooked.raw = raw; }
    return cooked;
};
var __awaiter = (this && this.__awaiter) || function (thisArg, _arguments, P, generator) {
    function adopt(value) { return value instanceof P ? value : new P(function (resolve) { resolve(value); }); }
    return new (P || (P = Promise))(function (resolve, reject) {
        function fulfilled(value) { try { step(generator.next(value)); } catch (e) { reject(e); } }
        function rejected(value) { try { step(generator["throw"](value)); } catch (e) { reject(e); } }
        function step(result) { result.done ? resolve(result.value) : adopt(result.value).then(fulfilled, rejected); }
        step((generator = generator.apply(thisArg, _arguments || [])).next());
    });
};
var __generator = (this && this.__generator) || function (thisArg, body) {
    var _ = { label: 0, sent: function() { if (t[0] & 1) throw t[1]; return t[1]; }, trys: [], ops: [] }, f, y, t, g = Object.create((typeof Iterator === "function" ? Iterator : Object).prototype);
    return g.next = verb(0), g["throw"] = verb(1), g["return"] = verb(2), typeof Symbol === "function" && (g[Symbol.iterator] = function() { return this; }), g;
    function verb(n) { return function (v) { return step([n, v]); }; }
    function step(op) {
        if (f) throw new TypeError("Generator is already executing.");
        while (g && (g = 0, op[0] && (_ = 0)), _) try {
            if (f = 1, y && (t = op[0] & 2 ? y["return"] : op[0] ? y["throw"] || ((t = y["return"]) && t.call(y), 0) : y.next) && !(t = t.call(y, op[1])).done) return t;
            if (y = 0, t) op = [op[0] & 2, t.value];
            switch (op[0]) {
                case 0: case 1: t = op; break;
                case 4: _.label++; return { value: op[1], done: false };
                case 5: _.label++; y = op[1]; op = [0]; continue;
                case 7: op = _.ops.pop(); _.trys.pop(); continue;
                default:
                    if (!(t = _.trys, t = t.length > 0 && t[t.length - 1]) && (op[0] === 6 || op[0] === 2)) { _ = 0; continue; }
                    if (op[0] === 3 && (!t || (op[1] > t[0] && op[1] < t[3]))) { _.label = op[1]; break; }
                    if (op[0] === 6 && _.label < t[1]) { _.label = t[1]; t = op; break; }
                    if (t && _.label < t[2]) { _.label = t[2]; _.ops.push(op); break; }
                    if (t[2]) _.ops.pop();
                    _.trys.pop(); continue;
            }
            op = body.call(thisArg, _);
        } catch (e) { op = [6, e]; y = 0; } finally { f = t = 0; }
        if (op[0] & 5) throw op[1]; return { value: op[0] ? op[1] : void 0, done: true };
    }
};
var __await = (this && this.__await) || function (v) { return this instanceof __await ? (this.v = v, this) : new __await(v); }
var __asyncGenerator = (this && this.__asyncGenerator) || function (thisArg, _arguments, generator) {
    if (!Symbol.asyncIterator) throw new TypeError("Symbol.asyncIterator is not defined.");
    var g = generator.apply(thisArg, _arguments || []), i, q = [];
    return i = Object.create((typeof AsyncIterator === "function" ? AsyncIterator : Object).prototype), verb("next"), verb("throw"), verb("return", awaitReturn), i[Symbol.asyncIterator] = function () { return this; }, i;
    function awaitReturn(f) { return function (v) { return Promise.resolve(v).then(f, reject); }; }
    function verb(n, f) { if (g[n]) { i[n] = function (v) { return new Promise(function (a, b) { q.push([n, v, a, b]) > 1 || resume(n, v); }); }; if (f) i[n] = f(i[n]); } }
    function resume(n, v) { try { step(g[n](v)); } catch (e) { settle(q[0][3], e); } }
    function step(r) { r.value instanceof __await ? Promise.resolve(r.value.v).then(fulfill, reject) : settle(q[0][2], r); }
    function fulfill(value) { resume("next", value); }
    function reject(value) { resume("throw", value); }
    function settle(f, v) { if (f(v), q.shift(), q.length) resume(q[0][0], q[0][1]); }
};
var __asyncValues = (this && this.__asyncValues) || function (o) {
    if (!Symbol.asyncIterator) throw new TypeError("Symbol.asyncIterator is not defined.");
    var m = o[Symbol.asyncIterator], i;
    return m ? m.call(o) : (o = typeof __values === "function" ? __values(o) : o[Symbol.iterator](), i = {}, verb("next"), verb("throw"), verb("return"), i[Symbol.asyncIterator] = function () { return this; }, i);
    function verb(n) { i[n] = o[n] && function (v) { return new Promise(function (resolve, reject) { v = o[n](v), settle(resolve, reject, v.done, v.value); }); }; }
    function settle(resolve, reject, d, v) { Promise.resolve(v).then(function(v) { resolve({ value: v, done: d }); }, reject); }
};
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
var __values = (this && this.__values) || function(o) {
    var s = typeof Symbol === "function" && Symbol.iterator, m = s && o[s], i = 0;
    if (m) return m.call(o);
    if (o && typeof o.length === "number") return {
        next: function () {
            if (o && i >= o.length) o = void 0;
            return { value: o && o[i++], done: !o };
        }
    };
    throw new TypeError(s ? "Object is not iterable." : "Symbol.iterator is not defined.");
};
var _a;
Object.defineProperty(exports, "__esModule", { value: true });
exports.usesTag = exports.tagged = exports.table = exports.Buoy = exports.Side = exports.Tide = exports.asyncName = exports.arrowAsync = exports.less = exports.typedInside = exports.setUp = exports.wrapped = exports.once = exports.curried = exports.optional = exports.ternary = exports.cast = exports.asConst = exports.satisfied = exports.predicate = exports.returns = exports.typed = exports.constrained = exports.arrow = void 0;
exports.declared = declared;
exports.overloaded = overloaded;
exports.generic = generic;
exports.asserts = asserts;
exports.defaults = defaults;
exports.declaredAsync = declaredAsync;
exports.generator = generator;
exports.asyncGenerator = asyncGenerator;
exports.tries = tries;
exports.tideOf = tideOf;
exports.default = default_1;
exports.callbacks = callbacks;
exports.nested = nested;
exports.everything = everything;
// Functions of every kind that TypeScript has, each of which notes where it is.
var here_1 = require("./here");
function declared(n) { (0, here_1.here)(); return n > 0 ? declared(n - 1) : n; }
function overloaded(x) { (0, here_1.here)(); return x; }
function generic(row, key) { (0, here_1.here)(); return row[key]; }
var arrow = function (x) { (0, here_1.here)(); return x; };
exports.arrow = arrow;
var constrained = function () {
    var list = [];
    for (var _i = 0; _i < arguments.length; _i++) {
        list[_i] = arguments[_i];
    }
    return ((0, here_1.here)(), list.length);
};
exports.constrained = constrained;
var typed = function (n) { (0, here_1.here)(); return n; };
exports.typed = typed;
var returns = function (n) { return ({ rows: [n], read: function (r) { (0, here_1.here)(r); } }); };
exports.returns = returns;
var predicate = function (x) { (0, here_1.here)(); return typeof x === 'string'; };
exports.predicate = predicate;
function asserts(x) { (0, here_1.here)(); if (typeof x !== 'number')
    throw new TypeError('no number'); }
exports.satisfied = { name: 'a', run: function (n) { (0, here_1.here)(); return n; } };
exports.asConst = { list: ['a'], pick: function (i) { (0, here_1.here)(); return this.list[i]; } };
exports.cast = (function (n) { (0, here_1.here)(); return n; });
function defaults(read, _a) {
    if (read === void 0) { read = function (n) { (0, here_1.here)(n); }; }
    var _b = _a === void 0 ? {} : _a, _c = _b.make, make = _c === void 0 ? function () { (0, here_1.here)(); return 1; } : _c, _d = _b.more, _e = _d === void 0 ? [] : _d, _f = __read(_e, 1), _g = _f[0], first = _g === void 0 ? function () { (0, here_1.here)(); return 2; } : _g;
    read(1);
    return make() + first();
}
var ternary = function (n) { return n > 1 ? ((0, here_1.here)(), n) : ((0, here_1.here)(), (n)); };
exports.ternary = ternary;
exports.optional = { call: undefined };
exports.optional.call = function (n) { (0, here_1.here)(n); };
var curried = function (a) { return function (b) { return function (c) { (0, here_1.here)(); return [a, b, c]; }; }; };
exports.curried = curried;
var once = function (f) { var done; return function () {
    var args = [];
    for (var _i = 0; _i < arguments.length; _i++) {
        args[_i] = arguments[_i];
    }
    (0, here_1.here)();
    return (done !== null && done !== void 0 ? done : (done = { v: f.apply(void 0, __spreadArray([], __read(args), false)) })).v;
}; };
exports.once = once;
exports.wrapped = (0, exports.once)(function (n) { (0, here_1.here)(); return n; });
exports.setUp = (function prepare(x) { (0, here_1.here)(); return function () { (0, here_1.here)(); return x; }; })('quay');
var typedInside = function (rows) { return rows.reduce(function (sum, row) { (0, here_1.here)(); return sum + __spreadArray([], __read(row.values()), false).reduce(function (a, b) { (0, here_1.here)(); return a + b; }, 0); }, 0); };
exports.typedInside = typedInside;
var less = function (a, b, c) { (0, here_1.here)(); return a < b && b > (c) ? 1 : (function () { (0, here_1.here)(); return 2; })(); };
exports.less = less;
function declaredAsync(n) {
    return __awaiter(this, void 0, Promise, function () { return __generator(this, function (_a) {
        switch (_a.label) {
            case 0:
                (0, here_1.here)();
                return [4 /*yield*/, null];
            case 1:
                _a.sent();
                (0, here_1.here)();
                return [2 /*return*/, n];
        }
    }); });
}
var arrowAsync = function (x) { return __awaiter(void 0, void 0, Promise, function () { return __generator(this, function (_a) {
    switch (_a.label) {
        case 0:
            (0, here_1.here)();
            return [4 /*yield*/, null];
        case 1:
            _a.sent();
            (0, here_1.here)();
            return [2 /*return*/, x];
    }
}); }); };
exports.arrowAsync = arrowAsync;
var asyncName = function (n) { return __awaiter(void 0, void 0, void 0, function () { var inner; return __generator(this, function (_a) {
    switch (_a.label) {
        case 0:
            inner = function () { return __awaiter(void 0, void 0, void 0, function () { return __generator(this, function (_a) {
                switch (_a.label) {
                    case 0:
                        (0, here_1.here)();
                        return [4 /*yield*/, 0];
                    case 1:
                        _a.sent();
                        (0, here_1.here)();
                        return [2 /*return*/, n];
                }
            }); }); };
            return [4 /*yield*/, inner()];
        case 1: return [2 /*return*/, _a.sent()];
    }
}); }); };
exports.asyncName = asyncName;
function generator(n) { var i; return __generator(this, function (_a) {
    switch (_a.label) {
        case 0:
            (0, here_1.here)();
            i = 0;
            _a.label = 1;
        case 1:
            if (!(i < n)) return [3 /*break*/, 4];
            (0, here_1.here)();
            return [4 /*yield*/, i];
        case 2:
            _a.sent();
            _a.label = 3;
        case 3:
            i++;
            return [3 /*break*/, 1];
        case 4: return [2 /*return*/];
    }
}); }
function asyncGenerator(n) { return __asyncGenerator(this, arguments, function asyncGenerator_1() { var i; return __generator(this, function (_a) {
    switch (_a.label) {
        case 0:
            i = 0;
            _a.label = 1;
        case 1:
            if (!(i < n)) return [3 /*break*/, 6];
            (0, here_1.here)();
            return [4 /*yield*/, __await(Promise.resolve(i))];
        case 2: return [4 /*yield*/, __await.apply(void 0, [_a.sent()])];
        case 3: return [4 /*yield*/, _a.sent()];
        case 4:
            _a.sent();
            (0, here_1.here)();
            _a.label = 5;
        case 5:
            i++;
            return [3 /*break*/, 1];
        case 6: return [2 /*return*/];
    }
}); }); }
function tries() {
    return __awaiter(this, void 0, Promise, function () {
        var e_1, _a, _b, _c, n, e_2_1;
        var _this = this;
        var _d, e_2, _e, _f;
        return __generator(this, function (_g) {
            switch (_g.label) {
                case 0:
                    _g.trys.push([0, 2, 3, 4]);
                    (0, here_1.here)();
                    return [4 /*yield*/, Promise.reject(new RangeError('depth'))];
                case 1:
                    _g.sent();
                    return [3 /*break*/, 4];
                case 2:
                    e_1 = _g.sent();
                    (0, here_1.here)(e_1);
                    return [3 /*break*/, 4];
                case 3:
                    (0, here_1.here)();
                    return [7 /*endfinally*/];
                case 4:
                    _g.trys.push([4, 9, 10, 15]);
                    _a = true, _b = __asyncValues(asyncGenerator(2));
                    _g.label = 5;
                case 5: return [4 /*yield*/, _b.next()];
                case 6:
                    if (!(_c = _g.sent(), _d = _c.done, !_d)) return [3 /*break*/, 8];
                    _f = _c.value;
                    _a = false;
                    n = _f;
                    (0, here_1.here)(n);
                    _g.label = 7;
                case 7:
                    _a = true;
                    return [3 /*break*/, 5];
                case 8: return [3 /*break*/, 15];
                case 9:
                    e_2_1 = _g.sent();
                    e_2 = { error: e_2_1 };
                    return [3 /*break*/, 15];
                case 10:
                    _g.trys.push([10, , 13, 14]);
                    if (!(!_a && !_d && (_e = _b.return))) return [3 /*break*/, 12];
                    return [4 /*yield*/, _e.call(_b)];
                case 11:
                    _g.sent();
                    _g.label = 12;
                case 12: return [3 /*break*/, 14];
                case 13:
                    if (e_2) throw e_2.error;
                    return [7 /*endfinally*/];
                case 14: return [7 /*endfinally*/];
                case 15: return [4 /*yield*/, Promise.all([1, 2].map(function (n) { return __awaiter(_this, void 0, void 0, function () { return __generator(this, function (_a) {
                        switch (_a.label) {
                            case 0:
                                (0, here_1.here)();
                                return [4 /*yield*/, null];
                            case 1:
                                _a.sent();
                                (0, here_1.here)(n);
                                return [2 /*return*/];
                        }
                    }); }); }))];
                case 16:
                    _g.sent();
                    return [2 /*return*/];
            }
        });
    });
}
var Tide;
(function (Tide) {
    Tide[Tide["Low"] = 1] = "Low";
    Tide[Tide["High"] = 2] = "High";
    Tide[Tide["Spring"] = tideOf('spring')] = "Spring";
})(Tide || (exports.Tide = Tide = {}));
function tideOf(name) { (0, here_1.here)(); return name.length; }
var Side;
(function (Side) {
    Side[Side["Port"] = 0] = "Port";
    Side[Side["Starboard"] = 1] = "Starboard";
})(Side || (exports.Side = Side = {}));
var Buoy;
(function (Buoy) {
    Buoy.light = function (n) { (0, here_1.here)(); return n; };
    function horn() { (0, here_1.here)(); return Side.Port; }
    Buoy.horn = horn;
    var Deep;
    (function (Deep) {
        Deep.sound = function () { (0, here_1.here)(); return [1].map(function (n) { (0, here_1.here)(); return n; })[0]; };
    })(Deep = Buoy.Deep || (Buoy.Deep = {}));
})(Buoy || (exports.Buoy = Buoy = {}));
exports.table = (_a = {
        method: function (n) { (0, here_1.here)(); return n; },
        property: function (n) { (0, here_1.here)(); return n; },
        'quoted-name': function (n) { (0, here_1.here)(); return n; }
    },
    _a['comp' + 'uted'] = function (n) { (0, here_1.here)(); return n; },
    Object.defineProperty(_a, "getter", {
        get: function () { (0, here_1.here)(); return function (n) { (0, here_1.here)(); return n; }; },
        enumerable: false,
        configurable: true
    }),
    _a[Symbol.asyncIterator] = function () { return __asyncGenerator(this, arguments, function _a() { return __generator(this, function (_b) {
        switch (_b.label) {
            case 0:
                (0, here_1.here)();
                return [4 /*yield*/, __await(1)];
            case 1: return [4 /*yield*/, _b.sent()];
            case 2:
                _b.sent();
                return [2 /*return*/];
        }
    }); }); },
    _a);
exports.table[Symbol.iterator] = function () { return __generator(this, function (_a) {
    switch (_a.label) {
        case 0:
            (0, here_1.here)();
            return [4 /*yield*/, 1];
        case 1:
            _a.sent();
            return [2 /*return*/];
    }
}); };
exports.table.assigned = function (n) { (0, here_1.here)(); return n; };
function default_1(x) { (0, here_1.here)(); return x; }
function callbacks(rows) {
    var list = rows;
    return list.map(function (_a) {
        var id = _a.id;
        (0, here_1.here)();
        return id;
    }).filter(function (n) { (0, here_1.here)(); return n > 0; }).sort(function (a, b) { return ((0, here_1.here)(), a - b); }).reduce(function (a, b) { (0, here_1.here)(); return a + b; }, 0);
}
function nested(n) {
    function helper(m) { (0, here_1.here)(); return m * 2; }
    var twice = function (m) { (0, here_1.here)(); return helper(helper(m)); };
    var Local = /** @class */ (function () {
        function Local(n) {
            var _this = this;
            Object.defineProperty(this, "n", {
                enumerable: true,
                configurable: true,
                writable: true,
                value: n
            });
            Object.defineProperty(this, "double", {
                enumerable: true,
                configurable: true,
                writable: true,
                value: function () { (0, here_1.here)(); return _this.n * 2; }
            });
            (0, here_1.here)();
        }
        return Local;
    }());
    return twice(n) + new Local(n).double();
}
var tagged = function (strings) {
    var values = [];
    for (var _i = 1; _i < arguments.length; _i++) {
        values[_i - 1] = arguments[_i];
    }
    (0, here_1.here)();
    return strings.raw.join() + values;
};
exports.tagged = tagged;
var usesTag = function () { return (0, exports.tagged)(templateObject_1 || (templateObject_1 = __makeTemplateObject(["x", "y", ""], ["x", "y", ""])), (function () { (0, here_1.here)(); return 1; })(), function (x) { return x; }); };
exports.usesTag = usesTag;
function everything() {
    return __awaiter(this, void 0, Promise, function () {
        var _a, _b, n, _c, _d, key, _e, _f, n, _g, _h, _j, n, e_3_1;
        var e_4, _k, e_5, _l, e_6, _m;
        var _o, e_3, _p, _q;
        return __generator(this, function (_r) {
            switch (_r.label) {
                case 0:
                    declared(1);
                    overloaded(1);
                    overloaded('a');
                    generic({ id: 1 }, 'id');
                    (0, exports.arrow)(1);
                    (0, exports.constrained)(1, 2);
                    (0, exports.typed)(1);
                    (0, exports.returns)(1).read(2);
                    (0, exports.predicate)('a');
                    asserts(1);
                    exports.satisfied.run(1);
                    exports.asConst.pick(0);
                    (0, exports.cast)(1);
                    defaults();
                    (0, exports.ternary)(1);
                    (0, exports.ternary)(2);
                    exports.optional.call(1);
                    (0, exports.curried)(1)(2)(3);
                    (0, exports.wrapped)(1);
                    (0, exports.setUp)();
                    (0, exports.typedInside)([new Map([['a', 1]])]);
                    (0, exports.less)(1, 2, 1);
                    return [4 /*yield*/, declaredAsync(1)];
                case 1:
                    _r.sent();
                    return [4 /*yield*/, (0, exports.arrowAsync)(1)];
                case 2:
                    _r.sent();
                    return [4 /*yield*/, (0, exports.asyncName)(1)];
                case 3:
                    _r.sent();
                    try {
                        for (_a = __values(generator(1)), _b = _a.next(); !_b.done; _b = _a.next()) {
                            n = _b.value;
                            (0, here_1.here)(n);
                        }
                    }
                    catch (e_4_1) { e_4 = { error: e_4_1 }; }
                    finally {
                        try {
                            if (_b && !_b.done && (_k = _a.return)) _k.call(_a);
                        }
                        finally { if (e_4) throw e_4.error; }
                    }
                    return [4 /*yield*/, tries()];
                case 4:
                    _r.sent();
                    (0, here_1.here)(Tide.Low);
                    Buoy.light(1);
                    Buoy.horn();
                    Buoy.Deep.sound();
                    try {
                        for (_c = __values(['method', 'property', 'quoted-name', 'computed', 'assigned']), _d = _c.next(); !_d.done; _d = _c.next()) {
                            key = _d.value;
                            exports.table[key](1);
                        }
                    }
                    catch (e_5_1) { e_5 = { error: e_5_1 }; }
                    finally {
                        try {
                            if (_d && !_d.done && (_l = _c.return)) _l.call(_c);
                        }
                        finally { if (e_5) throw e_5.error; }
                    }
                    exports.table.getter(1);
                    try {
                        for (_e = __values(exports.table), _f = _e.next(); !_f.done; _f = _e.next()) {
                            n = _f.value;
                            (0, here_1.here)(n);
                        }
                    }
                    catch (e_6_1) { e_6 = { error: e_6_1 }; }
                    finally {
                        try {
                            if (_f && !_f.done && (_m = _e.return)) _m.call(_e);
                        }
                        finally { if (e_6) throw e_6.error; }
                    }
                    _r.label = 5;
                case 5:
                    _r.trys.push([5, 10, 11, 16]);
                    _g = true, _h = __asyncValues(exports.table);
                    _r.label = 6;
                case 6: return [4 /*yield*/, _h.next()];
                case 7:
                    if (!(_j = _r.sent(), _o = _j.done, !_o)) return [3 /*break*/, 9];
                    _q = _j.value;
                    _g = false;
                    n = _q;
                    (0, here_1.here)(n);
                    _r.label = 8;
                case 8:
                    _g = true;
                    return [3 /*break*/, 6];
                case 9: return [3 /*break*/, 16];
                case 10:
                    e_3_1 = _r.sent();
                    e_3 = { error: e_3_1 };
                    return [3 /*break*/, 16];
                case 11:
                    _r.trys.push([11, , 14, 15]);
                    if (!(!_g && !_o && (_p = _h.return))) return [3 /*break*/, 13];
                    return [4 /*yield*/, _p.call(_h)];
                case 12:
                    _r.sent();
                    _r.label = 13;
                case 13: return [3 /*break*/, 15];
                case 14:
                    if (e_3) throw e_3.error;
                    return [7 /*endfinally*/];
                case 15: return [7 /*endfinally*/];
                case 16:
                    callbacks([{ id: 2 }, { id: 1 }]);
                    nested(2);
                    (0, exports.usesTag)();
                    return [2 /*return*/];
            }
        });
    });
}
var templateObject_1;
//# sourceMappingURL=functions.js.map
