"use strict";
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
exports.seen = void 0;
exports.here = here;
exports.seen = [];
function here() {
    var e_1, _a;
    var _b, _c, _d, _e, _f;
    var _ = [];
    for (var _i = 0; _i < arguments.length; _i++) {
        _[_i] = arguments[_i];
    }
    var prepare = Error.prepareStackTrace, limit = Error.stackTraceLimit;
    Error.stackTraceLimit = 12;
    Error.prepareStackTrace = function (_error, sites) { return sites; };
    var holder = {};
    Error.captureStackTrace(holder, here);
    var sites = holder.stack;
    Error.prepareStackTrace = prepare;
    Error.stackTraceLimit = limit;
    try {
        for (var sites_1 = __values(sites), sites_1_1 = sites_1.next(); !sites_1_1.done; sites_1_1 = sites_1.next()) {
            var s = sites_1_1.value;
            var file = (_b = s.getFileName()) !== null && _b !== void 0 ? _b : '';
            if (!file || file.startsWith('node:'))
                continue;
            exports.seen.push({ file: file, line: (_c = s.getLineNumber()) !== null && _c !== void 0 ? _c : 0, column: (_d = s.getColumnNumber()) !== null && _d !== void 0 ? _d : 0, name: s.getFunctionName() || ((_e = s.getMethodName()) !== null && _e !== void 0 ? _e : '').replace(/^[^[].*/, ''), type: (_f = s.getTypeName()) !== null && _f !== void 0 ? _f : '', made: s.isConstructor() ? 'new' : '' });
        }
    }
    catch (e_1_1) { e_1 = { error: e_1_1 }; }
    finally {
        try {
            if (sites_1_1 && !sites_1_1.done && (_a = sites_1.return)) _a.call(sites_1);
        }
        finally { if (e_1) throw e_1.error; }
    }
}
//# sourceMappingURL=here.js.map
