"use strict";

function _typeof(o) { "@babel/helpers - typeof"; return _typeof = "function" == typeof Symbol && "symbol" == typeof Symbol.iterator ? function (o) { return typeof o; } : function (o) { return o && "function" == typeof Symbol && o.constructor === Symbol && o !== Symbol.prototype ? "symbol" : typeof o; }, _typeof(o); }
Object.defineProperty(exports, "__esModule", {
  value: true
});
exports.asConst = exports.arrowAsync = exports.arrow = exports.Tide = exports.Side = exports.Buoy = void 0;
exports.asserts = asserts;
exports.asyncGenerator = asyncGenerator;
exports.asyncName = void 0;
exports.callbacks = callbacks;
exports.curried = exports.constrained = exports.cast = void 0;
exports.declared = declared;
exports.declaredAsync = declaredAsync;
exports.default = _default;
exports.defaults = defaults;
exports.everything = everything;
exports.generator = generator;
exports.generic = generic;
exports.less = void 0;
exports.nested = nested;
exports.optional = exports.once = void 0;
exports.overloaded = overloaded;
exports.ternary = exports.tagged = exports.table = exports.setUp = exports.satisfied = exports.returns = exports.predicate = void 0;
exports.tideOf = tideOf;
exports.tries = tries;
exports.wrapped = exports.usesTag = exports.typedInside = exports.typed = void 0;
var _here = require("./here");
var _templateObject;
function _createForOfIteratorHelper(r, e) { var t = "undefined" != typeof Symbol && r[Symbol.iterator] || r["@@iterator"]; if (!t) { if (Array.isArray(r) || (t = _unsupportedIterableToArray(r)) || e && r && "number" == typeof r.length) { t && (r = t); var n = 0, F = function F() {}; return { s: F, n: function (_n5) { function n() { return _n5.apply(this, arguments); } n.toString = function () { return _n5.toString(); }; return n; }(function () { return n >= r.length ? { done: !0 } : { done: !1, value: r[n++] }; }), e: function e(r) { throw r; }, f: F }; } throw new TypeError("Invalid attempt to iterate non-iterable instance.\nIn order to be iterable, non-array objects must have a [Symbol.iterator]() method."); } var o, a = !0, u = !1; return { s: function s() { t = t.call(r); }, n: function n() { var r = t.next(); return a = r.done, r; }, e: function e(r) { u = !0, o = r; }, f: function f() { try { a || null == t.return || t.return(); } finally { if (u) throw o; } } }; }
function _taggedTemplateLiteral(e, t) { return t || (t = e.slice(0)), Object.freeze(Object.defineProperties(e, { raw: { value: Object.freeze(t) } })); }
function _defineProperties(e, r) { for (var t = 0; t < r.length; t++) { var o = r[t]; o.enumerable = o.enumerable || !1, o.configurable = !0, "value" in o && (o.writable = !0), Object.defineProperty(e, _toPropertyKey(o.key), o); } }
function _createClass(e, r, t) { return r && _defineProperties(e.prototype, r), t && _defineProperties(e, t), Object.defineProperty(e, "prototype", { writable: !1 }), e; }
function _classCallCheck(a, n) { if (!(a instanceof n)) throw new TypeError("Cannot call a class as a function"); }
function _defineAccessor(e, r, n, t) { var c = { configurable: !0, enumerable: !0 }; return c[e] = t, Object.defineProperty(r, n, c); }
function _defineProperty(e, r, t) { return (r = _toPropertyKey(r)) in e ? Object.defineProperty(e, r, { value: t, enumerable: !0, configurable: !0, writable: !0 }) : e[r] = t, e; }
function _toPropertyKey(t) { var i = _toPrimitive(t, "string"); return "symbol" == _typeof(i) ? i : i + ""; }
function _toPrimitive(t, e) { if ("object" != _typeof(t) || !t) return t; var r; if ("undefined" != typeof Symbol && void 0 !== (r = t[Symbol.toPrimitive])) { var i = r.call(t, e || "default"); if ("object" != _typeof(i)) return i; throw new TypeError("@@toPrimitive must return a primitive value."); } return ("string" === e ? String : Number)(t); }
var _marked = /*#__PURE__*/_regenerator().m(generator);
function _regenerator() { /*! regenerator-runtime -- Copyright (c) 2014-present, Facebook, Inc. -- license (MIT): https://github.com/babel/babel/blob/main/packages/babel-helpers/LICENSE */ var e, t, r = "function" == typeof Symbol ? Symbol : {}, n = r.iterator || "@@iterator", o = r.toStringTag || "@@toStringTag"; function i(r, n, o, i) { var c = n && n.prototype instanceof Generator ? n : Generator, u = Object.create(c.prototype); return _regeneratorDefine2(u, "_invoke", function (r, n, o) { var i, c, u, f = 0, p = o || [], y = !1, G = { p: 0, n: 0, v: e, a: d, f: d.bind(e, 4), d: function d(t, r) { return i = t, c = 0, u = e, G.n = r, a; } }; function d(r, n) { for (c = r, u = n, t = 0; !y && f && !o && t < p.length; t++) { var o, i = p[t], d = G.p, l = i[2]; r > 3 ? (o = l === n) && (u = i[(c = i[4]) ? 5 : (c = 3, 3)], i[4] = i[5] = e) : i[0] <= d && ((o = r < 2 && d < i[1]) ? (c = 0, G.v = n, G.n = i[1]) : d < l && (o = r < 3 || i[0] > n || n > l) && (i[4] = r, i[5] = n, G.n = l, c = 0)); } if (o || r > 1) return a; throw y = !0, n; } return function (o, p, l) { if (f > 1) throw TypeError("Generator is already running"); for (y && 1 === p && d(p, l), c = p, u = l; (t = c < 2 ? e : u) || !y;) { i || (c ? (c > 1 && (G.n = c < 3 ? -1 : u), d(c, u)) : G.v = u); try { if (f = 2, i) { if (c || (o = "next"), t = i[o]) { if (!(t = t.call(i, u))) throw TypeError("iterator result is not an object"); if (!t.done) return t; u = t.value, c < 2 && (c = 0); } else 1 === c && (t = i.return) && t.call(i), c < 2 && (u = TypeError("The iterator does not provide a '" + o + "' method"), c = 1); i = e; } else if ((t = (y = G.n < 0) ? u : r.call(n, G)) !== a) break; } catch (t) { i = e, c = 1, u = t; } finally { f = 1; } } return { value: t, done: y }; }; }(r, o, i), !0), u; } var a = {}; function Generator() {} function GeneratorFunction() {} function GeneratorFunctionPrototype() {} t = Object.getPrototypeOf; var c = [][n] ? t(t([][n]())) : (_regeneratorDefine2(t = {}, n, function () { return this; }), t), u = GeneratorFunctionPrototype.prototype = Generator.prototype = Object.create(c); function f(e) { return Object.setPrototypeOf ? Object.setPrototypeOf(e, GeneratorFunctionPrototype) : (e.__proto__ = GeneratorFunctionPrototype, _regeneratorDefine2(e, o, "GeneratorFunction")), e.prototype = Object.create(u), e; } return GeneratorFunction.prototype = GeneratorFunctionPrototype, _regeneratorDefine2(u, "constructor", GeneratorFunctionPrototype), _regeneratorDefine2(GeneratorFunctionPrototype, "constructor", GeneratorFunction), GeneratorFunction.displayName = "GeneratorFunction", _regeneratorDefine2(GeneratorFunctionPrototype, o, "GeneratorFunction"), _regeneratorDefine2(u), _regeneratorDefine2(u, o, "Generator"), _regeneratorDefine2(u, n, function () { return this; }), _regeneratorDefine2(u, "toString", function () { return "[object Generator]"; }), (_regenerator = function _regenerator() { return { w: i, m: f }; })(); }
function _regeneratorDefine2(e, r, n, t) { var i = Object.defineProperty; try { i({}, "", {}); } catch (e) { i = 0; } _regeneratorDefine2 = function _regeneratorDefine(e, r, n, t) { function o(r, n) { _regeneratorDefine2(e, r, function (e) { return this._invoke(r, n, e); }); } r ? i ? i(e, r, { value: n, enumerable: !t, configurable: !t, writable: !t }) : e[r] = n : (o("next", 0), o("throw", 1), o("return", 2)); }, _regeneratorDefine2(e, r, n, t); }
function asyncGeneratorStep(n, t, e, r, o, a, c) { try { var i = n[a](c), u = i.value; } catch (n) { return void e(n); } i.done ? t(u) : Promise.resolve(u).then(r, o); }
function _asyncToGenerator(n) { return function () { var t = this, e = arguments; return new Promise(function (r, o) { var a = n.apply(t, e); function _next(n) { asyncGeneratorStep(a, r, o, _next, _throw, "next", n); } function _throw(n) { asyncGeneratorStep(a, r, o, _next, _throw, "throw", n); } _next(void 0); }); }; }
function _toConsumableArray(r) { return _arrayWithoutHoles(r) || _iterableToArray(r) || _unsupportedIterableToArray(r) || _nonIterableSpread(); }
function _nonIterableSpread() { throw new TypeError("Invalid attempt to spread non-iterable instance.\nIn order to be iterable, non-array objects must have a [Symbol.iterator]() method."); }
function _iterableToArray(r) { if ("undefined" != typeof Symbol && null != r[Symbol.iterator] || null != r["@@iterator"]) return Array.from(r); }
function _arrayWithoutHoles(r) { if (Array.isArray(r)) return _arrayLikeToArray(r); }
function _slicedToArray(r, e) { return _arrayWithHoles(r) || _iterableToArrayLimit(r, e) || _unsupportedIterableToArray(r, e) || _nonIterableRest(); }
function _nonIterableRest() { throw new TypeError("Invalid attempt to destructure non-iterable instance.\nIn order to be iterable, non-array objects must have a [Symbol.iterator]() method."); }
function _unsupportedIterableToArray(r, a) { if (r) { if ("string" == typeof r) return _arrayLikeToArray(r, a); var t = {}.toString.call(r).slice(8, -1); return "Object" === t && r.constructor && (t = r.constructor.name), "Map" === t || "Set" === t ? Array.from(r) : "Arguments" === t || /^(?:Ui|I)nt(?:8|16|32)(?:Clamped)?Array$/.test(t) ? _arrayLikeToArray(r, a) : void 0; } }
function _arrayLikeToArray(r, a) { (null == a || a > r.length) && (a = r.length); for (var e = 0, n = Array(a); e < a; e++) n[e] = r[e]; return n; }
function _iterableToArrayLimit(r, l) { var t = null == r ? null : "undefined" != typeof Symbol && r[Symbol.iterator] || r["@@iterator"]; if (null != t) { var e, n, i, u, a = [], f = !0, o = !1; try { if (i = (t = t.call(r)).next, 0 === l) { if (Object(t) !== t) return; f = !1; } else for (; !(f = (e = i.call(t)).done) && (a.push(e.value), a.length !== l); f = !0); } catch (r) { o = !0, n = r; } finally { try { if (!f && null != t.return && (u = t.return(), Object(u) !== u)) return; } finally { if (o) throw n; } } return a; } }
function _arrayWithHoles(r) { if (Array.isArray(r)) return r; }
function _asyncIterator(r) { var n, t, o, e = 2; for ("undefined" != typeof Symbol && (t = Symbol.asyncIterator, o = Symbol.iterator); e--;) { if (t && null != (n = r[t])) return n.call(r); if (o && null != (n = r[o])) return new AsyncFromSyncIterator(n.call(r)); t = "@@asyncIterator", o = "@@iterator"; } throw new TypeError("Object is not async iterable"); }
function AsyncFromSyncIterator(r) { function AsyncFromSyncIteratorContinuation(r) { if (Object(r) !== r) return Promise.reject(new TypeError(r + " is not an object.")); var n = r.done; return Promise.resolve(r.value).then(function (r) { return { value: r, done: n }; }); } return AsyncFromSyncIterator = function AsyncFromSyncIterator(r) { this.s = r, this.n = r.next; }, AsyncFromSyncIterator.prototype = { s: null, n: null, next: function next() { return AsyncFromSyncIteratorContinuation(this.n.apply(this.s, arguments)); }, return: function _return(r) { var n = this.s.return; return void 0 === n ? Promise.resolve({ value: r, done: !0 }) : AsyncFromSyncIteratorContinuation(n.apply(this.s, arguments)); }, throw: function _throw(r) { var n = this.s.throw; return void 0 === n ? Promise.reject(r) : AsyncFromSyncIteratorContinuation(n.apply(this.s, arguments)); } }, new AsyncFromSyncIterator(r); }
function _awaitAsyncGenerator(e) { return new _OverloadYield(e, 0); }
function _wrapAsyncGenerator(e) { return function () { return new AsyncGenerator(e.apply(this, arguments)); }; }
function AsyncGenerator(e) { var t, n; function resume(t, n) { try { var r = e[t](n), o = r.value, u = o instanceof _OverloadYield; Promise.resolve(u ? o.v : o).then(function (n) { if (u) { var i = "return" === t && o.k ? t : "next"; if (!o.k || n.done) return resume(i, n); n = e[i](n).value; } settle(!!r.done, n); }, function (e) { resume("throw", e); }); } catch (e) { settle(2, e); } } function settle(e, r) { 2 === e ? t.reject(r) : t.resolve({ value: r, done: e }), (t = t.next) ? resume(t.key, t.arg) : n = null; } this._invoke = function (e, r) { return new Promise(function (o, u) { var i = { key: e, arg: r, resolve: o, reject: u, next: null }; n ? n = n.next = i : (t = n = i, resume(e, r)); }); }, "function" != typeof e.return && (this.return = void 0); }
AsyncGenerator.prototype["function" == typeof Symbol && Symbol.asyncIterator || "@@asyncIterator"] = function () { return this; }, AsyncGenerator.prototype.next = function (e) { return this._invoke("next", e); }, AsyncGenerator.prototype.throw = function (e) { return this._invoke("throw", e); }, AsyncGenerator.prototype.return = function (e) { return this._invoke("return", e); };
function _OverloadYield(e, d) { this.v = e, this.k = d; } // Functions of every kind that TypeScript has, each of which notes where it is.
function declared(n) {
  (0, _here.here)();
  return n > 0 ? declared(n - 1) : n;
}
function overloaded(x) {
  (0, _here.here)();
  return x;
}
function generic(row, key) {
  (0, _here.here)();
  return row[key];
}
var arrow = exports.arrow = function arrow(x) {
  (0, _here.here)();
  return x;
};
var constrained = exports.constrained = function constrained() {
  return (0, _here.here)(), arguments.length;
};
var typed = exports.typed = function typed(n) {
  (0, _here.here)();
  return n;
};
var returns = exports.returns = function returns(n) {
  return {
    rows: [n],
    read: function read(r) {
      (0, _here.here)(r);
    }
  };
};
var predicate = exports.predicate = function predicate(x) {
  (0, _here.here)();
  return typeof x === 'string';
};
function asserts(x) {
  (0, _here.here)();
  if (typeof x !== 'number') throw new TypeError('no number');
}
var satisfied = exports.satisfied = {
  name: 'a',
  run: function run(n) {
    (0, _here.here)();
    return n;
  }
};
var asConst = exports.asConst = {
  list: ['a'],
  pick: function pick(i) {
    (0, _here.here)();
    return this.list[i];
  }
};
var cast = exports.cast = function cast(n) {
  (0, _here.here)();
  return n;
};
function defaults() {
  var read = arguments.length > 0 && arguments[0] !== undefined ? arguments[0] : function (n) {
    (0, _here.here)(n);
  };
  var _ref = arguments.length > 1 && arguments[1] !== undefined ? arguments[1] : {},
    _ref$make = _ref.make,
    make = _ref$make === void 0 ? function () {
      (0, _here.here)();
      return 1;
    } : _ref$make,
    _ref$more = _ref.more,
    _ref$more2 = _ref$more === void 0 ? [] : _ref$more,
    _ref$more3 = _slicedToArray(_ref$more2, 1),
    _ref$more3$ = _ref$more3[0],
    first = _ref$more3$ === void 0 ? function () {
      (0, _here.here)();
      return 2;
    } : _ref$more3$;
  read(1);
  return make() + first();
}
var ternary = exports.ternary = function ternary(n) {
  return n > 1 ? ((0, _here.here)(), n) : ((0, _here.here)(), n);
};
var optional = exports.optional = {
  call: undefined
};
optional.call = function (n) {
  (0, _here.here)(n);
};
var curried = exports.curried = function curried(a) {
  return function (b) {
    return function (c) {
      (0, _here.here)();
      return [a, b, c];
    };
  };
};
var once = exports.once = function once(f) {
  var done;
  return function () {
    (0, _here.here)();
    return (done !== null && done !== void 0 ? done : done = {
      v: f.apply(void 0, arguments)
    }).v;
  };
};
var wrapped = exports.wrapped = once(function (n) {
  (0, _here.here)();
  return n;
});
var setUp = exports.setUp = function prepare(x) {
  (0, _here.here)();
  return function () {
    (0, _here.here)();
    return x;
  };
}('quay');
var typedInside = exports.typedInside = function typedInside(rows) {
  return rows.reduce(function (sum, row) {
    (0, _here.here)();
    return sum + _toConsumableArray(row.values()).reduce(function (a, b) {
      (0, _here.here)();
      return a + b;
    }, 0);
  }, 0);
};
var less = exports.less = function less(a, b, c) {
  (0, _here.here)();
  return a < b && b > c ? 1 : function () {
    (0, _here.here)();
    return 2;
  }();
};
function declaredAsync(_x2) {
  return _declaredAsync.apply(this, arguments);
}
function _declaredAsync() {
  _declaredAsync = _asyncToGenerator(/*#__PURE__*/_regenerator().m(function _callee7(n) {
    return _regenerator().w(function (_context8) {
      while (1) switch (_context8.n) {
        case 0:
          (0, _here.here)();
          _context8.n = 1;
          return null;
        case 1:
          (0, _here.here)();
          return _context8.a(2, n);
      }
    }, _callee7);
  }));
  return _declaredAsync.apply(this, arguments);
}
var arrowAsync = exports.arrowAsync = /*#__PURE__*/function () {
  var _ref2 = _asyncToGenerator(/*#__PURE__*/_regenerator().m(function _callee(x) {
    return _regenerator().w(function (_context) {
      while (1) switch (_context.n) {
        case 0:
          (0, _here.here)();
          _context.n = 1;
          return null;
        case 1:
          (0, _here.here)();
          return _context.a(2, x);
      }
    }, _callee);
  }));
  return function arrowAsync(_x3) {
    return _ref2.apply(this, arguments);
  };
}();
var asyncName = exports.asyncName = /*#__PURE__*/function () {
  var _ref3 = _asyncToGenerator(/*#__PURE__*/_regenerator().m(function _callee3(n) {
    var inner;
    return _regenerator().w(function (_context3) {
      while (1) switch (_context3.n) {
        case 0:
          inner = /*#__PURE__*/function () {
            var _ref4 = _asyncToGenerator(/*#__PURE__*/_regenerator().m(function _callee2() {
              return _regenerator().w(function (_context2) {
                while (1) switch (_context2.n) {
                  case 0:
                    (0, _here.here)();
                    _context2.n = 1;
                    return 0;
                  case 1:
                    (0, _here.here)();
                    return _context2.a(2, n);
                }
              }, _callee2);
            }));
            return function inner() {
              return _ref4.apply(this, arguments);
            };
          }();
          _context3.n = 1;
          return inner();
        case 1:
          return _context3.a(2, _context3.v);
      }
    }, _callee3);
  }));
  return function asyncName(_x4) {
    return _ref3.apply(this, arguments);
  };
}();
function generator(n) {
  var i;
  return _regenerator().w(function (_context4) {
    while (1) switch (_context4.n) {
      case 0:
        (0, _here.here)();
        i = 0;
      case 1:
        if (!(i < n)) {
          _context4.n = 3;
          break;
        }
        (0, _here.here)();
        _context4.n = 2;
        return i;
      case 2:
        i++;
        _context4.n = 1;
        break;
      case 3:
        return _context4.a(2);
    }
  }, _marked);
}
function asyncGenerator(_x) {
  return _asyncGenerator.apply(this, arguments);
}
function _asyncGenerator() {
  _asyncGenerator = _wrapAsyncGenerator(/*#__PURE__*/_regenerator().m(function _callee4(n) {
    var i;
    return _regenerator().w(function (_context5) {
      while (1) switch (_context5.n) {
        case 0:
          i = 0;
        case 1:
          if (!(i < n)) {
            _context5.n = 5;
            break;
          }
          (0, _here.here)();
          _context5.n = 2;
          return _awaitAsyncGenerator(Promise.resolve(i));
        case 2:
          _context5.n = 3;
          return _context5.v;
        case 3:
          (0, _here.here)();
        case 4:
          i++;
          _context5.n = 1;
          break;
        case 5:
          return _context5.a(2);
      }
    }, _callee4);
  }));
  return _asyncGenerator.apply(this, arguments);
}
function tries() {
  return _tries.apply(this, arguments);
}
function _tries() {
  _tries = _asyncToGenerator(/*#__PURE__*/_regenerator().m(function _callee9() {
    var _iteratorAbruptCompletion, _didIteratorError, _iteratorError, _iterator, _step, _n, _t, _t2;
    return _regenerator().w(function (_context0) {
      while (1) switch (_context0.p = _context0.n) {
        case 0:
          _context0.p = 0;
          (0, _here.here)();
          _context0.n = 1;
          return Promise.reject(new RangeError('depth'));
        case 1:
          _context0.n = 3;
          break;
        case 2:
          _context0.p = 2;
          _t = _context0.v;
          (0, _here.here)(_t);
        case 3:
          _context0.p = 3;
          (0, _here.here)();
          return _context0.f(3);
        case 4:
          _iteratorAbruptCompletion = false;
          _didIteratorError = false;
          _context0.p = 5;
          _iterator = _asyncIterator(asyncGenerator(2));
        case 6:
          _context0.n = 7;
          return _iterator.next();
        case 7:
          if (!(_iteratorAbruptCompletion = !(_step = _context0.v).done)) {
            _context0.n = 9;
            break;
          }
          _n = _step.value;
          (0, _here.here)(_n);
        case 8:
          _iteratorAbruptCompletion = false;
          _context0.n = 6;
          break;
        case 9:
          _context0.n = 11;
          break;
        case 10:
          _context0.p = 10;
          _t2 = _context0.v;
          _didIteratorError = true;
          _iteratorError = _t2;
        case 11:
          _context0.p = 11;
          _context0.p = 12;
          if (!(_iteratorAbruptCompletion && _iterator.return != null)) {
            _context0.n = 13;
            break;
          }
          _context0.n = 13;
          return _iterator.return();
        case 13:
          _context0.p = 13;
          if (!_didIteratorError) {
            _context0.n = 14;
            break;
          }
          throw _iteratorError;
        case 14:
          return _context0.f(13);
        case 15:
          return _context0.f(11);
        case 16:
          _context0.n = 17;
          return Promise.all([1, 2].map(/*#__PURE__*/function () {
            var _ref6 = _asyncToGenerator(/*#__PURE__*/_regenerator().m(function _callee8(n) {
              return _regenerator().w(function (_context9) {
                while (1) switch (_context9.n) {
                  case 0:
                    (0, _here.here)();
                    _context9.n = 1;
                    return null;
                  case 1:
                    (0, _here.here)(n);
                  case 2:
                    return _context9.a(2);
                }
              }, _callee8);
            }));
            return function (_x5) {
              return _ref6.apply(this, arguments);
            };
          }()));
        case 17:
          return _context0.a(2);
      }
    }, _callee9, null, [[12,, 13, 15], [5, 10, 11, 16], [0, 2, 3, 4]]);
  }));
  return _tries.apply(this, arguments);
}
var Tide = exports.Tide = function (Tide) {
  Tide[Tide["Low"] = 1] = "Low";
  Tide[Tide["High"] = 2] = "High";
  Tide[Tide["Spring"] = tideOf('spring')] = "Spring";
  return Tide;
}({});
function tideOf(name) {
  (0, _here.here)();
  return name.length;
}
var Side = exports.Side = /*#__PURE__*/function (Side) {
  Side[Side["Port"] = 0] = "Port";
  Side[Side["Starboard"] = 1] = "Starboard";
  return Side;
}({});
var Buoy;
(function (_Buoy) {
  var light = _Buoy.light = function (n) {
    (0, _here.here)();
    return n;
  };
  function horn() {
    (0, _here.here)();
    return Side.Port;
  }
  _Buoy.horn = horn;
  var Deep;
  (function (_Deep) {
    var sound = _Deep.sound = function () {
      (0, _here.here)();
      return [1].map(function (n) {
        (0, _here.here)();
        return n;
      })[0];
    };
  })(Deep || (Deep = _Buoy.Deep || (_Buoy.Deep = {})));
})(Buoy || (exports.Buoy = Buoy = {}));
var table = exports.table = _defineProperty(_defineAccessor("get", _defineProperty({
  method: function method(n) {
    (0, _here.here)();
    return n;
  },
  property: function property(n) {
    (0, _here.here)();
    return n;
  },
  'quoted-name': function quotedName(n) {
    (0, _here.here)();
    return n;
  }
}, 'comp' + 'uted', function (n) {
  (0, _here.here)();
  return n;
}), "getter", function () {
  (0, _here.here)();
  return function (n) {
    (0, _here.here)();
    return n;
  };
}), Symbol.asyncIterator, function () {
  return _wrapAsyncGenerator(/*#__PURE__*/_regenerator().m(function _callee5() {
    return _regenerator().w(function (_context6) {
      while (1) switch (_context6.n) {
        case 0:
          (0, _here.here)();
          _context6.n = 1;
          return 1;
        case 1:
          return _context6.a(2);
      }
    }, _callee5);
  }))();
});
table[Symbol.iterator] = /*#__PURE__*/_regenerator().m(function _callee6() {
  return _regenerator().w(function (_context7) {
    while (1) switch (_context7.n) {
      case 0:
        (0, _here.here)();
        _context7.n = 1;
        return 1;
      case 1:
        return _context7.a(2);
    }
  }, _callee6);
});
table.assigned = function (n) {
  (0, _here.here)();
  return n;
};
function _default(x) {
  (0, _here.here)();
  return x;
}
function callbacks(rows) {
  var list = rows;
  return list.map(function (_ref5) {
    var id = _ref5.id;
    (0, _here.here)();
    return id;
  }).filter(function (n) {
    (0, _here.here)();
    return n > 0;
  }).sort(function (a, b) {
    return (0, _here.here)(), a - b;
  }).reduce(function (a, b) {
    (0, _here.here)();
    return a + b;
  }, 0);
}
function nested(n) {
  function helper(m) {
    (0, _here.here)();
    return m * 2;
  }
  var twice = function twice(m) {
    (0, _here.here)();
    return helper(helper(m));
  };
  var Local = /*#__PURE__*/_createClass(function Local(n) {
    var _this = this;
    _classCallCheck(this, Local);
    _defineProperty(this, "double", function () {
      (0, _here.here)();
      return _this.n * 2;
    });
    this.n = n;
    (0, _here.here)();
  });
  return twice(n) + new Local(n).double();
}
var tagged = exports.tagged = function tagged(strings) {
  (0, _here.here)();
  for (var _len = arguments.length, values = new Array(_len > 1 ? _len - 1 : 0), _key = 1; _key < _len; _key++) {
    values[_key - 1] = arguments[_key];
  }
  return strings.raw.join() + values;
};
var usesTag = exports.usesTag = function usesTag() {
  return tagged(_templateObject || (_templateObject = _taggedTemplateLiteral(["x", "y", ""])), function () {
    (0, _here.here)();
    return 1;
  }(), function (x) {
    return x;
  });
};
function everything() {
  return _everything.apply(this, arguments);
}
function _everything() {
  _everything = _asyncToGenerator(/*#__PURE__*/_regenerator().m(function _callee0() {
    var _iterator3, _step3, _n3, _i, _arr, key, _iterator4, _step4, _n4, _iteratorAbruptCompletion2, _didIteratorError2, _iteratorError2, _iterator2, _step2, _n2, _t3;
    return _regenerator().w(function (_context1) {
      while (1) switch (_context1.p = _context1.n) {
        case 0:
          declared(1);
          overloaded(1);
          overloaded('a');
          generic({
            id: 1
          }, 'id');
          arrow(1);
          constrained(1, 2);
          typed(1);
          returns(1).read(2);
          predicate('a');
          asserts(1);
          satisfied.run(1);
          asConst.pick(0);
          cast(1);
          defaults();
          ternary(1);
          ternary(2);
          optional.call(1);
          curried(1)(2)(3);
          wrapped(1);
          setUp();
          typedInside([new Map([['a', 1]])]);
          less(1, 2, 1);
          _context1.n = 1;
          return declaredAsync(1);
        case 1:
          _context1.n = 2;
          return arrowAsync(1);
        case 2:
          _context1.n = 3;
          return asyncName(1);
        case 3:
          _iterator3 = _createForOfIteratorHelper(generator(1));
          try {
            for (_iterator3.s(); !(_step3 = _iterator3.n()).done;) {
              _n3 = _step3.value;
              (0, _here.here)(_n3);
            }
          } catch (err) {
            _iterator3.e(err);
          } finally {
            _iterator3.f();
          }
          _context1.n = 4;
          return tries();
        case 4:
          (0, _here.here)(Tide.Low);
          Buoy.light(1);
          Buoy.horn();
          Buoy.Deep.sound();
          for (_i = 0, _arr = ['method', 'property', 'quoted-name', 'computed', 'assigned']; _i < _arr.length; _i++) {
            key = _arr[_i];
            table[key](1);
          }
          table.getter(1);
          _iterator4 = _createForOfIteratorHelper(table);
          try {
            for (_iterator4.s(); !(_step4 = _iterator4.n()).done;) {
              _n4 = _step4.value;
              (0, _here.here)(_n4);
            }
          } catch (err) {
            _iterator4.e(err);
          } finally {
            _iterator4.f();
          }
          _iteratorAbruptCompletion2 = false;
          _didIteratorError2 = false;
          _context1.p = 5;
          _iterator2 = _asyncIterator(table);
        case 6:
          _context1.n = 7;
          return _iterator2.next();
        case 7:
          if (!(_iteratorAbruptCompletion2 = !(_step2 = _context1.v).done)) {
            _context1.n = 9;
            break;
          }
          _n2 = _step2.value;
          (0, _here.here)(_n2);
        case 8:
          _iteratorAbruptCompletion2 = false;
          _context1.n = 6;
          break;
        case 9:
          _context1.n = 11;
          break;
        case 10:
          _context1.p = 10;
          _t3 = _context1.v;
          _didIteratorError2 = true;
          _iteratorError2 = _t3;
        case 11:
          _context1.p = 11;
          _context1.p = 12;
          if (!(_iteratorAbruptCompletion2 && _iterator2.return != null)) {
            _context1.n = 13;
            break;
          }
          _context1.n = 13;
          return _iterator2.return();
        case 13:
          _context1.p = 13;
          if (!_didIteratorError2) {
            _context1.n = 14;
            break;
          }
          throw _iteratorError2;
        case 14:
          return _context1.f(13);
        case 15:
          return _context1.f(11);
        case 16:
          callbacks([{
            id: 2
          }, {
            id: 1
          }]);
          nested(2);
          usesTag();
        case 17:
          return _context1.a(2);
      }
    }, _callee0, null, [[12,, 13, 15], [5, 10, 11, 16]]);
  }));
  return _everything.apply(this, arguments);
}
//# sourceMappingURL=functions.js.map
