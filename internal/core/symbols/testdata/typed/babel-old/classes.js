"use strict";

Object.defineProperty(exports, "__esModule", {
  value: true
});
exports.LitFerry = exports.Ferry = exports.Fault = void 0;
exports.Pier = Pier;
exports.default = exports.Vessel = exports.Unnamed = void 0;
exports.everything = everything;
var _here = require("./here");
var _Vessel, _class, _Ferry;
function _createForOfIteratorHelper(r, e) { var t = "undefined" != typeof Symbol && r[Symbol.iterator] || r["@@iterator"]; if (!t) { if (Array.isArray(r) || (t = _unsupportedIterableToArray(r)) || e && r && "number" == typeof r.length) { t && (r = t); var _n2 = 0, F = function F() {}; return { s: F, n: function n() { return _n2 >= r.length ? { done: !0 } : { done: !1, value: r[_n2++] }; }, e: function e(r) { throw r; }, f: F }; } throw new TypeError("Invalid attempt to iterate non-iterable instance.\nIn order to be iterable, non-array objects must have a [Symbol.iterator]() method."); } var o, a = !0, u = !1; return { s: function s() { t = t.call(r); }, n: function n() { var r = t.next(); return a = r.done, r; }, e: function e(r) { u = !0, o = r; }, f: function f() { try { a || null == t.return || t.return(); } finally { if (u) throw o; } } }; }
function _unsupportedIterableToArray(r, a) { if (r) { if ("string" == typeof r) return _arrayLikeToArray(r, a); var t = {}.toString.call(r).slice(8, -1); return "Object" === t && r.constructor && (t = r.constructor.name), "Map" === t || "Set" === t ? Array.from(r) : "Arguments" === t || /^(?:Ui|I)nt(?:8|16|32)(?:Clamped)?Array$/.test(t) ? _arrayLikeToArray(r, a) : void 0; } }
function _arrayLikeToArray(r, a) { (null == a || a > r.length) && (a = r.length); for (var e = 0, n = Array(a); e < a; e++) n[e] = r[e]; return n; }
function _typeof(o) { "@babel/helpers - typeof"; return _typeof = "function" == typeof Symbol && "symbol" == typeof Symbol.iterator ? function (o) { return typeof o; } : function (o) { return o && "function" == typeof Symbol && o.constructor === Symbol && o !== Symbol.prototype ? "symbol" : typeof o; }, _typeof(o); }
function _wrapNativeSuper(t) { var r = "function" == typeof Map ? new Map() : void 0; return _wrapNativeSuper = function _wrapNativeSuper(t) { if (null === t || !_isNativeFunction(t)) return t; if ("function" != typeof t) throw new TypeError("Super expression must either be null or a function"); if (void 0 !== r) { if (r.has(t)) return r.get(t); r.set(t, Wrapper); } function Wrapper() { return _construct(t, arguments, _getPrototypeOf(this).constructor); } return Wrapper.prototype = Object.create(t.prototype, { constructor: { value: Wrapper, enumerable: !1, writable: !0, configurable: !0 } }), _setPrototypeOf(Wrapper, t); }, _wrapNativeSuper(t); }
function _construct(t, e, r) { if (_isNativeReflectConstruct()) return Reflect.construct.apply(null, arguments); var o = [null]; o.push.apply(o, e); var p = new (t.bind.apply(t, o))(); return r && _setPrototypeOf(p, r.prototype), p; }
function _isNativeFunction(t) { try { return -1 !== Function.toString.call(t).indexOf("[native code]"); } catch (n) { return "function" == typeof t; } }
function _callSuper(t, o, e) { return o = _getPrototypeOf(o), _possibleConstructorReturn(t, _isNativeReflectConstruct() ? Reflect.construct(o, e || [], _getPrototypeOf(t).constructor) : o.apply(t, e)); }
function _possibleConstructorReturn(t, e) { if (e && ("object" == _typeof(e) || "function" == typeof e)) return e; if (void 0 !== e) throw new TypeError("Derived constructors may only return object or undefined"); return _assertThisInitialized(t); }
function _assertThisInitialized(e) { if (void 0 === e) throw new ReferenceError("this hasn't been initialised - super() hasn't been called"); return e; }
function _isNativeReflectConstruct() { try { var t = !Boolean.prototype.valueOf.call(Reflect.construct(Boolean, [], function () {})); } catch (t) {} return (_isNativeReflectConstruct = function _isNativeReflectConstruct() { return !!t; })(); }
function _superPropGet(t, o, e, r) { var p = _get(_getPrototypeOf(1 & r ? t.prototype : t), o, e); return 2 & r && "function" == typeof p ? function (t) { return p.apply(e, t); } : p; }
function _get() { return _get = "undefined" != typeof Reflect && Reflect.get ? Reflect.get.bind() : function (e, t, r) { var p = _superPropBase(e, t); if (p) { var n = Object.getOwnPropertyDescriptor(p, t); return n.get ? n.get.call(arguments.length < 3 ? e : r) : n.value; } }, _get.apply(null, arguments); }
function _superPropBase(t, o) { for (; !{}.hasOwnProperty.call(t, o) && null !== (t = _getPrototypeOf(t));); return t; }
function _getPrototypeOf(t) { return _getPrototypeOf = Object.setPrototypeOf ? Object.getPrototypeOf.bind() : function (t) { return t.__proto__ || Object.getPrototypeOf(t); }, _getPrototypeOf(t); }
function _inherits(t, e) { if ("function" != typeof e && null !== e) throw new TypeError("Super expression must either be null or a function"); t.prototype = Object.create(e && e.prototype, { constructor: { value: t, writable: !0, configurable: !0 } }), Object.defineProperty(t, "prototype", { writable: !1 }), e && _setPrototypeOf(t, e); }
function _setPrototypeOf(t, e) { return _setPrototypeOf = Object.setPrototypeOf ? Object.setPrototypeOf.bind() : function (t, e) { return t.__proto__ = e, t; }, _setPrototypeOf(t, e); }
function _applyDecoratedDescriptor(i, e, r, n, l) { var a = {}; return Object.keys(n).forEach(function (i) { a[i] = n[i]; }), a.enumerable = !!a.enumerable, a.configurable = !!a.configurable, ("value" in a || a.initializer) && (a.writable = !0), a = r.slice().reverse().reduce(function (r, n) { return n(i, e, r) || r; }, a), l && void 0 !== a.initializer && (a.value = a.initializer ? a.initializer.call(l) : void 0, a.initializer = void 0), void 0 === a.initializer ? (Object.defineProperty(i, e, a), null) : a; }
function asyncGeneratorStep(n, t, e, r, o, a, c) { try { var i = n[a](c), u = i.value; } catch (n) { return void e(n); } i.done ? t(u) : Promise.resolve(u).then(r, o); }
function _asyncToGenerator(n) { return function () { var t = this, e = arguments; return new Promise(function (r, o) { var a = n.apply(t, e); function _next(n) { asyncGeneratorStep(a, r, o, _next, _throw, "next", n); } function _throw(n) { asyncGeneratorStep(a, r, o, _next, _throw, "throw", n); } _next(void 0); }); }; }
function _regenerator() { /*! regenerator-runtime -- Copyright (c) 2014-present, Facebook, Inc. -- license (MIT): https://github.com/babel/babel/blob/main/packages/babel-helpers/LICENSE */ var e, t, r = "function" == typeof Symbol ? Symbol : {}, n = r.iterator || "@@iterator", o = r.toStringTag || "@@toStringTag"; function i(r, n, o, i) { var c = n && n.prototype instanceof Generator ? n : Generator, u = Object.create(c.prototype); return _regeneratorDefine2(u, "_invoke", function (r, n, o) { var i, c, u, f = 0, p = o || [], y = !1, G = { p: 0, n: 0, v: e, a: d, f: d.bind(e, 4), d: function d(t, r) { return i = t, c = 0, u = e, G.n = r, a; } }; function d(r, n) { for (c = r, u = n, t = 0; !y && f && !o && t < p.length; t++) { var o, i = p[t], d = G.p, l = i[2]; r > 3 ? (o = l === n) && (u = i[(c = i[4]) ? 5 : (c = 3, 3)], i[4] = i[5] = e) : i[0] <= d && ((o = r < 2 && d < i[1]) ? (c = 0, G.v = n, G.n = i[1]) : d < l && (o = r < 3 || i[0] > n || n > l) && (i[4] = r, i[5] = n, G.n = l, c = 0)); } if (o || r > 1) return a; throw y = !0, n; } return function (o, p, l) { if (f > 1) throw TypeError("Generator is already running"); for (y && 1 === p && d(p, l), c = p, u = l; (t = c < 2 ? e : u) || !y;) { i || (c ? (c > 1 && (G.n = c < 3 ? -1 : u), d(c, u)) : G.v = u); try { if (f = 2, i) { if (c || (o = "next"), t = i[o]) { if (!(t = t.call(i, u))) throw TypeError("iterator result is not an object"); if (!t.done) return t; u = t.value, c < 2 && (c = 0); } else 1 === c && (t = i.return) && t.call(i), c < 2 && (u = TypeError("The iterator does not provide a '" + o + "' method"), c = 1); i = e; } else if ((t = (y = G.n < 0) ? u : r.call(n, G)) !== a) break; } catch (t) { i = e, c = 1, u = t; } finally { f = 1; } } return { value: t, done: y }; }; }(r, o, i), !0), u; } var a = {}; function Generator() {} function GeneratorFunction() {} function GeneratorFunctionPrototype() {} t = Object.getPrototypeOf; var c = [][n] ? t(t([][n]())) : (_regeneratorDefine2(t = {}, n, function () { return this; }), t), u = GeneratorFunctionPrototype.prototype = Generator.prototype = Object.create(c); function f(e) { return Object.setPrototypeOf ? Object.setPrototypeOf(e, GeneratorFunctionPrototype) : (e.__proto__ = GeneratorFunctionPrototype, _regeneratorDefine2(e, o, "GeneratorFunction")), e.prototype = Object.create(u), e; } return GeneratorFunction.prototype = GeneratorFunctionPrototype, _regeneratorDefine2(u, "constructor", GeneratorFunctionPrototype), _regeneratorDefine2(GeneratorFunctionPrototype, "constructor", GeneratorFunction), GeneratorFunction.displayName = "GeneratorFunction", _regeneratorDefine2(GeneratorFunctionPrototype, o, "GeneratorFunction"), _regeneratorDefine2(u), _regeneratorDefine2(u, o, "Generator"), _regeneratorDefine2(u, n, function () { return this; }), _regeneratorDefine2(u, "toString", function () { return "[object Generator]"; }), (_regenerator = function _regenerator() { return { w: i, m: f }; })(); }
function _regeneratorDefine2(e, r, n, t) { var i = Object.defineProperty; try { i({}, "", {}); } catch (e) { i = 0; } _regeneratorDefine2 = function _regeneratorDefine(e, r, n, t) { function o(r, n) { _regeneratorDefine2(e, r, function (e) { return this._invoke(r, n, e); }); } r ? i ? i(e, r, { value: n, enumerable: !t, configurable: !t, writable: !t }) : e[r] = n : (o("next", 0), o("throw", 1), o("return", 2)); }, _regeneratorDefine2(e, r, n, t); }
function _classCallCheck(a, n) { if (!(a instanceof n)) throw new TypeError("Cannot call a class as a function"); }
function _defineProperties(e, r) { for (var t = 0; t < r.length; t++) { var o = r[t]; o.enumerable = o.enumerable || !1, o.configurable = !0, "value" in o && (o.writable = !0), Object.defineProperty(e, _toPropertyKey(o.key), o); } }
function _createClass(e, r, t) { return r && _defineProperties(e.prototype, r), t && _defineProperties(e, t), Object.defineProperty(e, "prototype", { writable: !1 }), e; }
function _classPrivateMethodInitSpec(e, a) { _checkPrivateRedeclaration(e, a), a.add(e); }
function _classPrivateFieldInitSpec(e, t, a) { _checkPrivateRedeclaration(e, t), t.set(e, a); }
function _checkPrivateRedeclaration(e, t) { if (t.has(e)) throw new TypeError("Cannot initialize the same private elements twice on an object"); }
function _classPrivateGetter(s, r, a) { return a(_assertClassBrand(s, r)); }
function _classPrivateFieldSet(s, a, r) { return s.set(_assertClassBrand(s, a), r), r; }
function _classPrivateFieldGet(s, a) { return s.get(_assertClassBrand(s, a)); }
function _assertClassBrand(e, t, n) { if ("function" == typeof e ? e === t : e.has(t)) return arguments.length < 3 ? t : n; throw new TypeError("Private element is not present on this object"); }
function ownKeys(e, r) { var t = Object.keys(e); if (Object.getOwnPropertySymbols) { var o = Object.getOwnPropertySymbols(e); r && (o = o.filter(function (r) { return Object.getOwnPropertyDescriptor(e, r).enumerable; })), t.push.apply(t, o); } return t; }
function _objectSpread(e) { for (var r = 1; r < arguments.length; r++) { var t = null != arguments[r] ? arguments[r] : {}; r % 2 ? ownKeys(Object(t), !0).forEach(function (r) { _defineProperty(e, r, t[r]); }) : Object.getOwnPropertyDescriptors ? Object.defineProperties(e, Object.getOwnPropertyDescriptors(t)) : ownKeys(Object(t)).forEach(function (r) { Object.defineProperty(e, r, Object.getOwnPropertyDescriptor(t, r)); }); } return e; }
function _defineProperty(e, r, t) { return (r = _toPropertyKey(r)) in e ? Object.defineProperty(e, r, { value: t, enumerable: !0, configurable: !0, writable: !0 }) : e[r] = t, e; }
function _toPropertyKey(t) { var i = _toPrimitive(t, "string"); return "symbol" == _typeof(i) ? i : i + ""; }
function _toPrimitive(t, e) { if ("object" != _typeof(t) || !t) return t; var r; if ("undefined" != typeof Symbol && void 0 !== (r = t[Symbol.toPrimitive])) { var i = r.call(t, e || "default"); if ("object" != _typeof(i)) return i; throw new TypeError("@@toPrimitive must return a primitive value."); } return ("string" === e ? String : Number)(t); }
function _asyncIterator(r) { var n, t, o, e = 2; for ("undefined" != typeof Symbol && (t = Symbol.asyncIterator, o = Symbol.iterator); e--;) { if (t && null != (n = r[t])) return n.call(r); if (o && null != (n = r[o])) return new AsyncFromSyncIterator(n.call(r)); t = "@@asyncIterator", o = "@@iterator"; } throw new TypeError("Object is not async iterable"); }
function AsyncFromSyncIterator(r) { function AsyncFromSyncIteratorContinuation(r) { if (Object(r) !== r) return Promise.reject(new TypeError(r + " is not an object.")); var n = r.done; return Promise.resolve(r.value).then(function (r) { return { value: r, done: n }; }); } return AsyncFromSyncIterator = function AsyncFromSyncIterator(r) { this.s = r, this.n = r.next; }, AsyncFromSyncIterator.prototype = { s: null, n: null, next: function next() { return AsyncFromSyncIteratorContinuation(this.n.apply(this.s, arguments)); }, return: function _return(r) { var n = this.s.return; return void 0 === n ? Promise.resolve({ value: r, done: !0 }) : AsyncFromSyncIteratorContinuation(n.apply(this.s, arguments)); }, throw: function _throw(r) { var n = this.s.throw; return void 0 === n ? Promise.reject(r) : AsyncFromSyncIteratorContinuation(n.apply(this.s, arguments)); } }, new AsyncFromSyncIterator(r); }
function _awaitAsyncGenerator(e) { return new _OverloadYield(e, 0); }
function _wrapAsyncGenerator(e) { return function () { return new AsyncGenerator(e.apply(this, arguments)); }; }
function AsyncGenerator(e) { var t, n; function resume(t, n) { try { var r = e[t](n), o = r.value, u = o instanceof _OverloadYield; Promise.resolve(u ? o.v : o).then(function (n) { if (u) { var i = "return" === t && o.k ? t : "next"; if (!o.k || n.done) return resume(i, n); n = e[i](n).value; } settle(!!r.done, n); }, function (e) { resume("throw", e); }); } catch (e) { settle(2, e); } } function settle(e, r) { 2 === e ? t.reject(r) : t.resolve({ value: r, done: e }), (t = t.next) ? resume(t.key, t.arg) : n = null; } this._invoke = function (e, r) { return new Promise(function (o, u) { var i = { key: e, arg: r, resolve: o, reject: u, next: null }; n ? n = n.next = i : (t = n = i, resume(e, r)); }); }, "function" != typeof e.return && (this.return = void 0); }
AsyncGenerator.prototype["function" == typeof Symbol && Symbol.asyncIterator || "@@asyncIterator"] = function () { return this; }, AsyncGenerator.prototype.next = function (e) { return this._invoke("next", e); }, AsyncGenerator.prototype.throw = function (e) { return this._invoke("throw", e); }, AsyncGenerator.prototype.return = function (e) { return this._invoke("return", e); };
function _OverloadYield(e, d) { this.v = e, this.k = d; } // Classes with every kind of member.
function noted(_target, _name, d) {
  var real = d.value;
  return _objectSpread(_objectSpread({}, d), {}, {
    value: function value() {
      (0, _here.here)();
      for (var _len = arguments.length, args = new Array(_len), _key = 0; _key < _len; _key++) {
        args[_key] = arguments[_key];
      }
      return real.apply(this, args);
    }
  });
}
var kept = function kept(c) {
  (0, _here.here)();
  return c;
};
var _name2 = /*#__PURE__*/new WeakMap();
var _Vessel_brand = /*#__PURE__*/new WeakSet();
var Vessel = exports.Vessel = /*#__PURE__*/function () {
  function Vessel(name) {
    var _this2 = this;
    var log = arguments.length > 1 && arguments[1] !== undefined ? arguments[1] : function (s) {
      (0, _here.here)(s);
    };
    _classCallCheck(this, Vessel);
    _classPrivateMethodInitSpec(this, _Vessel_brand);
    _classPrivateFieldInitSpec(this, _name2, void 0);
    _defineProperty(this, "cargo", void 0);
    _defineProperty(this, "onMoor", function (quay) {
      (0, _here.here)();
      return _classPrivateFieldGet(_name2, _this2) + quay;
    });
    _defineProperty(this, "onCast", function () {
      (0, _here.here)();
    });
    _defineProperty(this, "rows", [1, 2].map(function (n) {
      (0, _here.here)();
      return n;
    }));
    this.log = log;
    _classPrivateFieldSet(_name2, this, name);
    (0, _here.here)();
    this.log(name);
    _assertClassBrand(_Vessel_brand, this, _secret).call(this);
  }
  return _createClass(Vessel, [{
    key: "name",
    get: function get() {
      (0, _here.here)();
      return _classPrivateFieldGet(_name2, this);
    },
    set: function set(v) {
      (0, _here.here)(v);
      _classPrivateFieldSet(_name2, this, v);
    }
  }, {
    key: Symbol.iterator,
    value: /*#__PURE__*/_regenerator().m(function value() {
      return _regenerator().w(function (_context) {
        while (1) switch (_context.n) {
          case 0:
            (0, _here.here)();
            _context.n = 1;
            return 1;
          case 1:
            return _context.a(2);
        }
      }, value);
    })
  }, {
    key: "stops",
    value: function stops(n) {
      return _wrapAsyncGenerator(/*#__PURE__*/_regenerator().m(function _callee() {
        return _regenerator().w(function (_context2) {
          while (1) switch (_context2.n) {
            case 0:
              (0, _here.here)();
              _context2.n = 1;
              return n;
            case 1:
              _context2.n = 2;
              return _awaitAsyncGenerator(null);
            case 2:
              (0, _here.here)();
            case 3:
              return _context2.a(2);
          }
        }, _callee);
      }))();
    }
  }, {
    key: "moor",
    value: function () {
      var _moor = _asyncToGenerator(/*#__PURE__*/_regenerator().m(function _callee3(quay) {
        return _regenerator().w(function (_context4) {
          while (1) switch (_context4.n) {
            case 0:
              (0, _here.here)();
              _context4.n = 1;
              return null;
            case 1:
              (0, _here.here)();
              return _context4.a(2, _asyncToGenerator(/*#__PURE__*/_regenerator().m(function _callee2() {
                return _regenerator().w(function (_context3) {
                  while (1) switch (_context3.n) {
                    case 0:
                      (0, _here.here)();
                      _context3.n = 1;
                      return null;
                    case 1:
                      (0, _here.here)();
                      return _context3.a(2, quay);
                  }
                }, _callee2);
              }))());
          }
        }, _callee3);
      }));
      function moor(_x) {
        return _moor.apply(this, arguments);
      }
      return moor;
    }()
  }, {
    key: "literal",
    value: function literal() {
      (0, _here.here)();
      return 3;
    }
  }, {
    key: 'with-dash',
    value: function withDash() {
      (0, _here.here)();
      return 4;
    }
  }], [{
    key: "nameOf",
    value: function nameOf(s) {
      (0, _here.here)();
      return s;
    }
  }, {
    key: "create",
    value: function () {
      var _create = _asyncToGenerator(/*#__PURE__*/_regenerator().m(function _callee4(make) {
        return _regenerator().w(function (_context5) {
          while (1) switch (_context5.n) {
            case 0:
              (0, _here.here)();
              _context5.n = 1;
              return null;
            case 1:
              (0, _here.here)();
              return _context5.a(2, make());
          }
        }, _callee4);
      }));
      function create(_x2) {
        return _create.apply(this, arguments);
      }
      return create;
    }()
  }, {
    key: "built",
    get: function get() {
      (0, _here.here)();
      return _assertClassBrand(Vessel, this, _built)._;
    }
  }]);
}();
_Vessel = Vessel;
function _secret() {
  (0, _here.here)();
  return _classPrivateGetter(_Vessel_brand, this, _get_hidden);
}
function _get_hidden(_this) {
  (0, _here.here)();
  return _this.rows.length;
}
var _built = {
  _: 0
};
_defineProperty(Vessel, "yard", _Vessel.nameOf('yard'));
(function () {
  (0, _here.here)();
  _built._ = _built._ + 1;
  [1].forEach(function () {
    (0, _here.here)();
  });
})();
var Ferry = exports.Ferry = (_class = (_Ferry = /*#__PURE__*/function (_Vessel2) {
  function Ferry(name) {
    var _this3;
    _classCallCheck(this, Ferry);
    _this3 = _callSuper(this, Ferry, [name]);
    _defineProperty(_this3, "decks", 2);
    (0, _here.here)();
    _this3.decks = _this3.count(function (n) {
      (0, _here.here)();
      return n > 0;
    });
    return _this3;
  }
  _inherits(Ferry, _Vessel2);
  return _createClass(Ferry, [{
    key: "draught",
    value: function draught() {
      (0, _here.here)();
      return _superPropGet(Ferry, 'with-dash', this, 3)([]);
    }
  }, {
    key: "count",
    value: function count(is) {
      (0, _here.here)();
      return [1, 2].filter(is).length;
    }
  }, {
    key: "board",
    value: function board(seats) {
      var by = arguments.length > 1 && arguments[1] !== undefined ? arguments[1] : {};
      (0, _here.here)(by);
      return seats;
    }
  }, {
    key: "moor",
    value: function () {
      var _moor2 = _asyncToGenerator(/*#__PURE__*/_regenerator().m(function _callee5(quay) {
        var q;
        return _regenerator().w(function (_context6) {
          while (1) switch (_context6.n) {
            case 0:
              (0, _here.here)();
              _context6.n = 1;
              return _superPropGet(Ferry, "moor", this, 3)([quay]);
            case 1:
              q = _context6.v;
              (0, _here.here)();
              return _context6.a(2, q);
          }
        }, _callee5, this);
      }));
      function moor(_x3) {
        return _moor2.apply(this, arguments);
      }
      return moor;
    }()
  }]);
}(Vessel), _defineProperty(_Ferry, "cache", new Map()), _defineProperty(_Ferry, "of", function (name) {
  (0, _here.here)();
  return new _Ferry(name);
}), _Ferry), _applyDecoratedDescriptor(_class.prototype, "board", [noted], Object.getOwnPropertyDescriptor(_class.prototype, "board"), _class.prototype), _class);
var Lit = function Lit(Base) {
  return /*#__PURE__*/function (_Base) {
    function _class2() {
      var _this4;
      _classCallCheck(this, _class2);
      for (var _len2 = arguments.length, args = new Array(_len2), _key2 = 0; _key2 < _len2; _key2++) {
        args[_key2] = arguments[_key2];
      }
      _this4 = _callSuper(this, _class2, [].concat(args));
      _defineProperty(_this4, "shine", function () {
        (0, _here.here)();
        return 1;
      });
      return _this4;
    }
    _inherits(_class2, _Base);
    return _createClass(_class2, [{
      key: "dim",
      value: function dim() {
        (0, _here.here)();
        return 0;
      }
    }]);
  }(Base);
};
var LitFerry = exports.LitFerry = Lit(Ferry);
var Unnamed = exports.Unnamed = kept(/*#__PURE__*/function () {
  function _class3() {
    _classCallCheck(this, _class3);
  }
  return _createClass(_class3, [{
    key: "run",
    value: function run() {
      (0, _here.here)();
      return 1;
    }
  }], [{
    key: "make",
    value: function make() {
      (0, _here.here)();
      return new this();
    }
  }]);
}());
var _default = exports.default = /*#__PURE__*/function () {
  function _default() {
    _classCallCheck(this, _default);
  }
  return _createClass(_default, [{
    key: "swing",
    value: function swing() {
      (0, _here.here)();
      return 1;
    }
  }]);
}();
_defineProperty(_default, "arm", function () {
  (0, _here.here)();
  return 2;
});
function Pier(n) {
  (0, _here.here)();
  this.list = [n];
  this.add = function (m) {
    (0, _here.here)(m);
  };
}
Pier.prototype.count = function () {
  (0, _here.here)();
  return this.list.length;
};
Pier.open = function (n) {
  (0, _here.here)();
  return new Pier(n);
};
var Fault = exports.Fault = /*#__PURE__*/function (_Error) {
  function Fault(message, code, options) {
    var _this5;
    _classCallCheck(this, Fault);
    _this5 = _callSuper(this, Fault, [message]);
    _this5.code = code;
    (0, _here.here)(options);
    _this5.name = 'Fault';
    return _this5;
  }
  _inherits(Fault, _Error);
  return _createClass(Fault, null, [{
    key: "from",
    value: function from(e) {
      (0, _here.here)();
      return new Fault(String(e), 1, {
        cause: e
      });
    }
  }]);
}(/*#__PURE__*/_wrapNativeSuper(Error));
function everything(_x4) {
  return _everything.apply(this, arguments);
}
function _everything() {
  _everything = _asyncToGenerator(/*#__PURE__*/_regenerator().m(function _callee6(Anchor) {
    var f, _iterator2, _step2, _n, _iteratorAbruptCompletion, _didIteratorError, _iteratorError, _iterator, _step, n, l, p, _t;
    return _regenerator().w(function (_context7) {
      while (1) switch (_context7.p = _context7.n) {
        case 0:
          f = Ferry.of('Eider');
          f.onMoor('a');
          f.onCast();
          f.name = f.name + '1';
          f.draught();
          f.board(3);
          (0, _here.here)(Vessel.built);
          f.literal();
          _context7.n = 1;
          return f.moor('a');
        case 1:
          _context7.n = 2;
          return Ferry.create(function () {
            (0, _here.here)();
            return 1;
          });
        case 2:
          _iterator2 = _createForOfIteratorHelper(f);
          try {
            for (_iterator2.s(); !(_step2 = _iterator2.n()).done;) {
              _n = _step2.value;
              (0, _here.here)(_n);
            }
          } catch (err) {
            _iterator2.e(err);
          } finally {
            _iterator2.f();
          }
          _iteratorAbruptCompletion = false;
          _didIteratorError = false;
          _context7.p = 3;
          _iterator = _asyncIterator(f.stops(1));
        case 4:
          _context7.n = 5;
          return _iterator.next();
        case 5:
          if (!(_iteratorAbruptCompletion = !(_step = _context7.v).done)) {
            _context7.n = 7;
            break;
          }
          n = _step.value;
          (0, _here.here)(n);
        case 6:
          _iteratorAbruptCompletion = false;
          _context7.n = 4;
          break;
        case 7:
          _context7.n = 9;
          break;
        case 8:
          _context7.p = 8;
          _t = _context7.v;
          _didIteratorError = true;
          _iteratorError = _t;
        case 9:
          _context7.p = 9;
          _context7.p = 10;
          if (!(_iteratorAbruptCompletion && _iterator.return != null)) {
            _context7.n = 11;
            break;
          }
          _context7.n = 11;
          return _iterator.return();
        case 11:
          _context7.p = 11;
          if (!_didIteratorError) {
            _context7.n = 12;
            break;
          }
          throw _iteratorError;
        case 12:
          return _context7.f(11);
        case 13:
          return _context7.f(9);
        case 14:
          l = new LitFerry('Tern');
          l.shine();
          l.dim();
          Unnamed.make().run();
          new Anchor().swing();
          Anchor.arm();
          p = Pier.open(1);
          p.add(2);
          p.count();
          Fault.from('x');
        case 15:
          return _context7.a(2);
      }
    }, _callee6, null, [[10,, 11, 13], [3, 8, 9, 14]]);
  }));
  return _everything.apply(this, arguments);
}
//# sourceMappingURL=classes.js.map
