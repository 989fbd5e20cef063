"use strict";

Object.defineProperty(exports, "__esModule", {
  value: true
});
exports.here = here;
exports.seen = void 0;
function _createForOfIteratorHelper(r, e) { var t = "undefined" != typeof Symbol && r[Symbol.iterator] || r["@@iterator"]; if (!t) { if (Array.isArray(r) || (t = _unsupportedIterableToArray(r)) || e && r && "number" == typeof r.length) { t && (r = t); var _n = 0, F = function F() {}; return { s: F, n: function n() { return _n >= r.length ? { done: !0 } : { done: !1, value: r[_n++] }; }, e: function e(r) { throw r; }, f: F }; } throw new TypeError("Invalid attempt to iterate non-iterable instance.\nIn order to be iterable, non-array objects must have a [Symbol.iterator]() method."); } var o, a = !0, u = !1; return { s: function s() { t = t.call(r); }, n: function n() { var r = t.next(); return a = r.done, r; }, e: function e(r) { u = !0, o = r; }, f: function f() { try { a || null == t.return || t.return(); } finally { if (u) throw o; } } }; }
function _unsupportedIterableToArray(r, a) { if (r) { if ("string" == typeof r) return _arrayLikeToArray(r, a); var t = {}.toString.call(r).slice(8, -1); return "Object" === t && r.constructor && (t = r.constructor.name), "Map" === t || "Set" === t ? Array.from(r) : "Arguments" === t || /^(?:Ui|I)nt(?:8|16|32)(?:Clamped)?Array$/.test(t) ? _arrayLikeToArray(r, a) : void 0; } }
function _arrayLikeToArray(r, a) { (null == a || a > r.length) && (a = r.length); for (var e = 0, n = Array(a); e < a; e++) n[e] = r[e]; return n; }
// Notes who calls it: the stack as V8 has it, without its own frame.

var seen = exports.seen = [];
function here() {
  var prepare = Error.prepareStackTrace,
    limit = Error.stackTraceLimit;
  Error.stackTraceLimit = 12;
  Error.prepareStackTrace = function (_error, sites) {
    return sites;
  };
  var holder = {};
  Error.captureStackTrace(holder, here);
  var sites = holder.stack;
  Error.prepareStackTrace = prepare;
  Error.stackTraceLimit = limit;
  var _iterator = _createForOfIteratorHelper(sites),
    _step;
  try {
    for (_iterator.s(); !(_step = _iterator.n()).done;) {
      var _s$getFileName, _s$getLineNumber, _s$getColumnNumber, _s$getMethodName, _s$getTypeName;
      var s = _step.value;
      var file = (_s$getFileName = s.getFileName()) !== null && _s$getFileName !== void 0 ? _s$getFileName : '';
      if (!file || file.startsWith('node:')) continue;
      seen.push({
        file: file,
        line: (_s$getLineNumber = s.getLineNumber()) !== null && _s$getLineNumber !== void 0 ? _s$getLineNumber : 0,
        column: (_s$getColumnNumber = s.getColumnNumber()) !== null && _s$getColumnNumber !== void 0 ? _s$getColumnNumber : 0,
        name: s.getFunctionName() || ((_s$getMethodName = s.getMethodName()) !== null && _s$getMethodName !== void 0 ? _s$getMethodName : '').replace(/^[^[].*/, ''),
        type: (_s$getTypeName = s.getTypeName()) !== null && _s$getTypeName !== void 0 ? _s$getTypeName : '',
        made: s.isConstructor() ? 'new' : ''
      });
    }
  } catch (err) {
    _iterator.e(err);
  } finally {
    _iterator.f();
  }
}
//# sourceMappingURL=here.js.map
