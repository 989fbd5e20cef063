// Notes who calls it: the stack as V8 has it, without its own frame.
"use strict";
Object.defineProperty(exports, "__esModule", {
    value: true
});
function _export(target, all) {
    for(var name in all)Object.defineProperty(target, name, {
        enumerable: true,
        get: Object.getOwnPropertyDescriptor(all, name).get
    });
}
_export(exports, {
    get here () {
        return here;
    },
    get seen () {
        return seen;
    }
});
var seen = [];
function here() {
    for(var _len = arguments.length, _ = new Array(_len), _key = 0; _key < _len; _key++){
        _[_key] = arguments[_key];
    }
    var prepare = Error.prepareStackTrace, limit = Error.stackTraceLimit;
    Error.stackTraceLimit = 12;
    Error.prepareStackTrace = function(_error, sites) {
        return sites;
    };
    var holder = {};
    Error.captureStackTrace(holder, here);
    var sites = holder.stack;
    Error.prepareStackTrace = prepare;
    Error.stackTraceLimit = limit;
    var _iteratorNormalCompletion = true, _didIteratorError = false, _iteratorError = undefined;
    try {
        for(var _iterator = sites[Symbol.iterator](), _step; !(_iteratorNormalCompletion = (_step = _iterator.next()).done); _iteratorNormalCompletion = true){
            var s = _step.value;
            var _s_getFileName, _s_getLineNumber, _s_getColumnNumber, _s_getMethodName, _s_getTypeName;
            var file = (_s_getFileName = s.getFileName()) !== null && _s_getFileName !== void 0 ? _s_getFileName : '';
            if (!file || file.startsWith('node:')) continue;
            seen.push({
                file: file,
                line: (_s_getLineNumber = s.getLineNumber()) !== null && _s_getLineNumber !== void 0 ? _s_getLineNumber : 0,
                column: (_s_getColumnNumber = s.getColumnNumber()) !== null && _s_getColumnNumber !== void 0 ? _s_getColumnNumber : 0,
                name: s.getFunctionName() || ((_s_getMethodName = s.getMethodName()) !== null && _s_getMethodName !== void 0 ? _s_getMethodName : '').replace(/^[^[].*/, ''),
                type: (_s_getTypeName = s.getTypeName()) !== null && _s_getTypeName !== void 0 ? _s_getTypeName : '',
                made: s.isConstructor() ? 'new' : ''
            });
        }
    } catch (err) {
        _didIteratorError = true;
        _iteratorError = err;
    } finally{
        try {
            if (!_iteratorNormalCompletion && _iterator.return != null) {
                _iterator.return();
            }
        } finally{
            if (_didIteratorError) {
                throw _iteratorError;
            }
        }
    }
}

//# sourceMappingURL=here.js.map
