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
var __assign = (this && this.__assign) || function () {
    __assign = Object.assign || function(t) {
        for (var s, i = 1, n = arguments.length; i < n; i++) {
            s = arguments[i];
            for (var p in s) if (Object.prototype.hasOwnProperty.call(s, p))
                t[p] = s[p];
        }
        return t;
    };
    return __assign.apply(this, arguments);
};
var __decorate = (this && this.__decorate) || function (decorators, target, key, desc) {
    var c = arguments.length, r = c < 3 ? target : desc === null ? desc = Object.getOwnPropertyDescriptor(target, key) : desc, d;
    if (typeof Reflect === "object" && typeof Reflect.decorate === "function") r = Reflect.decorate(decorators, target, key, desc);
    else for (var i = decorators.length - 1; i >= 0; i--) if (d = decorators[i]) r = (c < 3 ? d(r) : c > 3 ? d(target, key, r) : d(target, key)) || r;
    return c > 3 && r && Object.defineProperty(target, key, r), r;
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
var __classPrivateFieldSet = (this && this.__classPrivateFieldSet) || function (receiver, state, value, kind, f) {
    if (kind === "m") throw new TypeError("Private method is not writable");
    if (kind === "a" && !f) throw new TypeError("Private accessor was defined without a setter");
    if (typeof state === "function" ? receiver !== state || !f : !state.has(receiver)) throw new TypeError("Cannot write private member to an object whose class did not declare it");
    return (kind === "a" ? f.call(receiver, value) : f ? f.value = value : state.set(receiver, value)), value;
};
var __classPrivateFieldGet = (this && this.__classPrivateFieldGet) || function (receiver, state, kind, f) {
    if (kind === "a" && !f) throw new TypeError("Private accessor was defined without a getter");
    if (typeof state === "function" ? receiver !== state || !f : !state.has(receiver)) throw new TypeError("Cannot read private member from an object whose class did not declare it");
    return kind === "m" ? f : kind === "a" ? f.call(receiver) : f ? f.value : state.get(receiver);
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
Object.defineProperty(exports, "__esModule", { value: true });
exports.Fault = exports.Unnamed = exports.LitFerry = exports.Ferry = exports.Vessel = void 0;
exports.Pier = Pier;
exports.everything = everything;
// Classes with every kind of member.
var here_1 = require("./here");
function noted(_target, _name, d) {
    var real = d.value;
    return __assign(__assign({}, d), { value: function () {
            var args = [];
            for (var _i = 0; _i < arguments.length; _i++) {
                args[_i] = arguments[_i];
            }
            (0, here_1.here)();
            return real.apply(this, args);
        } });
}
var kept = function (c) { (0, here_1.here)(); return c; };
var Vessel = /** @class */ (function () {
    function Vessel(name, log) {
        if (log === void 0) { log = function (s) { (0, here_1.here)(s); }; }
        var _this = this;
        _Vessel_instances.add(this);
        Object.defineProperty(this, "log", {
            enumerable: true,
            configurable: true,
            writable: true,
            value: log
        });
        _Vessel_name.set(this, void 0);
        Object.defineProperty(this, "cargo", {
            enumerable: true,
            configurable: true,
            writable: true,
            value: void 0
        });
        Object.defineProperty(this, "onMoor", {
            enumerable: true,
            configurable: true,
            writable: true,
            value: function (quay) { (0, here_1.here)(); return __classPrivateFieldGet(_this, _Vessel_name, "f") + quay; }
        });
        Object.defineProperty(this, "onCast", {
            enumerable: true,
            configurable: true,
            writable: true,
            value: function () { (0, here_1.here)(); }
        });
        Object.defineProperty(this, "rows", {
            enumerable: true,
            configurable: true,
            writable: true,
            value: [1, 2].map(function (n) { (0, here_1.here)(); return n; })
        });
        __classPrivateFieldSet(this, _Vessel_name, name, "f");
        (0, here_1.here)();
        this.log(name);
        __classPrivateFieldGet(this, _Vessel_instances, "m", _Vessel_secret).call(this);
    }
    Object.defineProperty(Vessel, "nameOf", {
        enumerable: false,
        configurable: true,
        writable: true,
        value: function (s) { (0, here_1.here)(); return s; }
    });
    Object.defineProperty(Vessel, "create", {
        enumerable: false,
        configurable: true,
        writable: true,
        value: function (make) {
            return __awaiter(this, void 0, Promise, function () { return __generator(this, function (_b) {
                switch (_b.label) {
                    case 0:
                        (0, here_1.here)();
                        return [4 /*yield*/, null];
                    case 1:
                        _b.sent();
                        (0, here_1.here)();
                        return [2 /*return*/, make()];
                }
            }); });
        }
    });
    Object.defineProperty(Vessel.prototype, "name", {
        get: function () { (0, here_1.here)(); return __classPrivateFieldGet(this, _Vessel_name, "f"); },
        set: function (v) { (0, here_1.here)(v); __classPrivateFieldSet(this, _Vessel_name, v, "f"); },
        enumerable: false,
        configurable: true
    });
    Object.defineProperty(Vessel, "built", {
        get: function () { (0, here_1.here)(); return __classPrivateFieldGet(this, _a, "f", _Vessel_built); },
        enumerable: false,
        configurable: true
    });
    Object.defineProperty(Vessel.prototype, (_Vessel_name = new WeakMap(), _Vessel_instances = new WeakSet(), _Vessel_secret = function _Vessel_secret() { (0, here_1.here)(); return __classPrivateFieldGet(this, _Vessel_instances, "a", _Vessel_hidden_get); }, _Vessel_hidden_get = function _Vessel_hidden_get() { (0, here_1.here)(); return this.rows.length; }, Symbol.iterator), {
        enumerable: false,
        configurable: true,
        writable: true,
        value: function () { return __generator(this, function (_b) {
            switch (_b.label) {
                case 0:
                    (0, here_1.here)();
                    return [4 /*yield*/, 1];
                case 1:
                    _b.sent();
                    return [2 /*return*/];
            }
        }); }
    });
    Object.defineProperty(Vessel.prototype, "stops", {
        enumerable: false,
        configurable: true,
        writable: true,
        value: function (n) { return __asyncGenerator(this, arguments, function stops_1() { return __generator(this, function (_b) {
            switch (_b.label) {
                case 0:
                    (0, here_1.here)();
                    return [4 /*yield*/, __await(n)];
                case 1: return [4 /*yield*/, _b.sent()];
                case 2:
                    _b.sent();
                    return [4 /*yield*/, __await(null)];
                case 3:
                    _b.sent();
                    (0, here_1.here)();
                    return [2 /*return*/];
            }
        }); }); }
    });
    Object.defineProperty(Vessel.prototype, "moor", {
        enumerable: false,
        configurable: true,
        writable: true,
        value: function (quay) {
            return __awaiter(this, void 0, Promise, function () {
                var _this = this;
                return __generator(this, function (_b) {
                    switch (_b.label) {
                        case 0:
                            (0, here_1.here)();
                            return [4 /*yield*/, null];
                        case 1:
                            _b.sent();
                            (0, here_1.here)();
                            return [2 /*return*/, (function () { return __awaiter(_this, void 0, void 0, function () { return __generator(this, function (_b) {
                                    switch (_b.label) {
                                        case 0:
                                            (0, here_1.here)();
                                            return [4 /*yield*/, null];
                                        case 1:
                                            _b.sent();
                                            (0, here_1.here)();
                                            return [2 /*return*/, quay];
                                    }
                                }); }); })()];
                    }
                });
            });
        }
    });
    Object.defineProperty(Vessel.prototype, "literal", {
        enumerable: false,
        configurable: true,
        writable: true,
        value: function () { (0, here_1.here)(); return 3; }
    });
    Object.defineProperty(Vessel.prototype, 'with-dash', {
        enumerable: false,
        configurable: true,
        writable: true,
        value: function () { (0, here_1.here)(); return 4; }
    });
    var _Vessel_instances, _a, _Vessel_built, _Vessel_name, _Vessel_secret, _Vessel_hidden_get;
    _a = Vessel;
    _Vessel_built = { value: 0 };
    Object.defineProperty(Vessel, "yard", {
        enumerable: true,
        configurable: true,
        writable: true,
        value: _a.nameOf('yard')
    });
    (function () {
        var _b;
        (0, here_1.here)();
        __classPrivateFieldSet(_b = _a, _a, __classPrivateFieldGet(_b, _a, "f", _Vessel_built) + 1, "f", _Vessel_built);
        [1].forEach(function () { (0, here_1.here)(); });
    })();
    return Vessel;
}());
exports.Vessel = Vessel;
var Ferry = /** @class */ (function (_super) {
    __extends(Ferry, _super);
    function Ferry(name) {
        var _this = _super.call(this, name) || this;
        Object.defineProperty(_this, "decks", {
            enumerable: true,
            configurable: true,
            writable: true,
            value: 2
        });
        (0, here_1.here)();
        _this.decks = _this.count(function (n) { (0, here_1.here)(); return n > 0; });
        return _this;
    }
    Object.defineProperty(Ferry.prototype, "draught", {
        enumerable: false,
        configurable: true,
        writable: true,
        value: function () { (0, here_1.here)(); return _super.prototype['with-dash'].call(this); }
    });
    Object.defineProperty(Ferry.prototype, "count", {
        enumerable: false,
        configurable: true,
        writable: true,
        value: function (is) { (0, here_1.here)(); return [1, 2].filter(is).length; }
    });
    Object.defineProperty(Ferry.prototype, "board", {
        enumerable: false,
        configurable: true,
        writable: true,
        value: function (seats, by) {
            if (by === void 0) { by = {}; }
            (0, here_1.here)(by);
            return seats;
        }
    });
    Object.defineProperty(Ferry.prototype, "moor", {
        enumerable: false,
        configurable: true,
        writable: true,
        value: function (quay) {
            return __awaiter(this, void 0, Promise, function () { var q; return __generator(this, function (_b) {
                switch (_b.label) {
                    case 0:
                        (0, here_1.here)();
                        return [4 /*yield*/, _super.prototype.moor.call(this, quay)];
                    case 1:
                        q = _b.sent();
                        (0, here_1.here)();
                        return [2 /*return*/, q];
                }
            }); });
        }
    });
    Object.defineProperty(Ferry, "cache", {
        enumerable: true,
        configurable: true,
        writable: true,
        value: new Map()
    });
    Object.defineProperty(Ferry, "of", {
        enumerable: true,
        configurable: true,
        writable: true,
        value: function (name) { (0, here_1.here)(); return new Ferry(name); }
    });
    __decorate([
        noted
    ], Ferry.prototype, "board", null);
    return Ferry;
}(Vessel));
exports.Ferry = Ferry;
var Lit = function (Base) { return /** @class */ (function (_super) {
    __extends(class_1, _super);
    function class_1() {
        var _this = _super.apply(this, __spreadArray([], __read(arguments), false)) || this;
        Object.defineProperty(_this, "shine", {
            enumerable: true,
            configurable: true,
            writable: true,
            value: function () { (0, here_1.here)(); return 1; }
        });
        return _this;
    }
    Object.defineProperty(class_1.prototype, "dim", {
        enumerable: false,
        configurable: true,
        writable: true,
        value: function () { (0, here_1.here)(); return 0; }
    });
    return class_1;
}(Base)); };
exports.LitFerry = Lit(Ferry);
exports.Unnamed = kept(/** @class */ (function () {
    function class_2() {
    }
    Object.defineProperty(class_2.prototype, "run", {
        enumerable: false,
        configurable: true,
        writable: true,
        value: function () { (0, here_1.here)(); return 1; }
    });
    Object.defineProperty(class_2, "make", {
        enumerable: false,
        configurable: true,
        writable: true,
        value: function () { (0, here_1.here)(); return new this(); }
    });
    return class_2;
}()));
var default_1 = /** @class */ (function () {
    function default_1() {
    }
    Object.defineProperty(default_1.prototype, "swing", {
        enumerable: false,
        configurable: true,
        writable: true,
        value: function () { (0, here_1.here)(); return 1; }
    });
    Object.defineProperty(default_1, "arm", {
        enumerable: true,
        configurable: true,
        writable: true,
        value: function () { (0, here_1.here)(); return 2; }
    });
    return default_1;
}());
exports.default = default_1;
function Pier(n) { (0, here_1.here)(); this.list = [n]; this.add = function (m) { (0, here_1.here)(m); }; }
Pier.prototype.count = function () { (0, here_1.here)(); return this.list.length; };
Pier.open = function (n) { (0, here_1.here)(); return new Pier(n); };
var Fault = /** @class */ (function (_super) {
    __extends(Fault, _super);
    function Fault(message, code, options) {
        var _this = _super.call(this, message) || this;
        Object.defineProperty(_this, "code", {
            enumerable: true,
            configurable: true,
            writable: true,
            value: code
        });
        (0, here_1.here)(options);
        _this.name = 'Fault';
        return _this;
    }
    Object.defineProperty(Fault, "from", {
        enumerable: false,
        configurable: true,
        writable: true,
        value: function (e) { (0, here_1.here)(); return new Fault(String(e), 1, { cause: e }); }
    });
    return Fault;
}(Error));
exports.Fault = Fault;
function everything(Anchor) {
    return __awaiter(this, void 0, Promise, function () {
        var f, f_1, f_1_1, n, _b, _c, _d, n, e_1_1, l, p;
        var e_2, _e;
        var _f, e_1, _g, _h;
        return __generator(this, function (_j) {
            switch (_j.label) {
                case 0:
                    f = Ferry.of('Eider');
                    f.onMoor('a');
                    f.onCast();
                    f.name = f.name + '1';
                    f.draught();
                    f.board(3);
                    (0, here_1.here)(Vessel.built);
                    f.literal();
                    return [4 /*yield*/, f.moor('a')];
                case 1:
                    _j.sent();
                    return [4 /*yield*/, Ferry.create(function () { (0, here_1.here)(); return 1; })];
                case 2:
                    _j.sent();
                    try {
                        for (f_1 = __values(f), f_1_1 = f_1.next(); !f_1_1.done; f_1_1 = f_1.next()) {
                            n = f_1_1.value;
                            (0, here_1.here)(n);
                        }
                    }
                    catch (e_2_1) { e_2 = { error: e_2_1 }; }
                    finally {
                        try {
                            if (f_1_1 && !f_1_1.done && (_e = f_1.return)) _e.call(f_1);
                        }
                        finally { if (e_2) throw e_2.error; }
                    }
                    _j.label = 3;
                case 3:
                    _j.trys.push([3, 8, 9, 14]);
                    _b = true, _c = __asyncValues(f.stops(1));
                    _j.label = 4;
                case 4: return [4 /*yield*/, _c.next()];
                case 5:
                    if (!(_d = _j.sent(), _f = _d.done, !_f)) return [3 /*break*/, 7];
                    _h = _d.value;
                    _b = false;
                    n = _h;
                    (0, here_1.here)(n);
                    _j.label = 6;
                case 6:
                    _b = true;
                    return [3 /*break*/, 4];
                case 7: return [3 /*break*/, 14];
                case 8:
                    e_1_1 = _j.sent();
                    e_1 = { error: e_1_1 };
                    return [3 /*break*/, 14];
                case 9:
                    _j.trys.push([9, , 12, 13]);
                    if (!(!_b && !_f && (_g = _c.return))) return [3 /*break*/, 11];
                    return [4 /*yield*/, _g.call(_c)];
                case 10:
                    _j.sent();
                    _j.label = 11;
                case 11: return [3 /*break*/, 13];
                case 12:
                    if (e_1) throw e_1.error;
                    return [7 /*endfinally*/];
                case 13: return [7 /*endfinally*/];
                case 14:
                    l = new exports.LitFerry('Tern');
                    l.shine();
                    l.dim();
                    exports.Unnamed.make().run();
                    new Anchor().swing();
                    Anchor.arm();
                    p = Pier.open(1);
                    p.add(2);
                    p.count();
                    Fault.from('x');
                    return [2 /*return*/];
            }
        });
    });
}
//# sourceMappingURL=classes.js.map
