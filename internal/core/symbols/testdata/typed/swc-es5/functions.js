// Functions of every kind that TypeScript has, each of which notes where it is.
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
    get Buoy () {
        return Buoy;
    },
    get Side () {
        return Side;
    },
    get Tide () {
        return Tide;
    },
    get arrow () {
        return arrow;
    },
    get arrowAsync () {
        return arrowAsync;
    },
    get asConst () {
        return asConst;
    },
    get asserts () {
        return asserts;
    },
    get asyncGenerator () {
        return asyncGenerator;
    },
    get asyncName () {
        return asyncName;
    },
    get callbacks () {
        return callbacks;
    },
    get cast () {
        return cast;
    },
    get constrained () {
        return constrained;
    },
    get curried () {
        return curried;
    },
    get declared () {
        return declared;
    },
    get declaredAsync () {
        return declaredAsync;
    },
    get default () {
        return _default;
    },
    get defaults () {
        return defaults;
    },
    get everything () {
        return everything;
    },
    get generator () {
        return generator;
    },
    get generic () {
        return generic;
    },
    get less () {
        return less;
    },
    get nested () {
        return nested;
    },
    get once () {
        return once;
    },
    get optional () {
        return optional;
    },
    get overloaded () {
        return overloaded;
    },
    get predicate () {
        return predicate;
    },
    get returns () {
        return returns;
    },
    get satisfied () {
        return satisfied;
    },
    get setUp () {
        return setUp;
    },
    get table () {
        return table;
    },
    get tagged () {
        return tagged;
    },
    get ternary () {
        return ternary;
    },
    get tideOf () {
        return tideOf;
    },
    get tries () {
        return tries;
    },
    get typed () {
        return typed;
    },
    get typedInside () {
        return typedInside;
    },
    get usesTag () {
        return usesTag;
    },
    get wrapped () {
        return wrapped;
    }
});
var _here = require("./here");
function _array_like_to_array(arr, len) {
    if (len == null || len > arr.length) len = arr.length;
    for(var i = 0, arr2 = new Array(len); i < len; i++)arr2[i] = arr[i];
    return arr2;
}
function _array_with_holes(arr) {
    if (Array.isArray(arr)) return arr;
}
function _array_without_holes(arr) {
    if (Array.isArray(arr)) return _array_like_to_array(arr);
}
function _async_generator(gen) {
    var front, back;
    function send(key, arg) {
        return new Promise(function(resolve, reject) {
            var request = {
                key: key,
                arg: arg,
                resolve: resolve,
                reject: reject,
                next: null
            };
            if (back) back = back.next = request;
            else {
                front = back = request;
                resume(key, arg);
            }
        });
    }
    function resume(key, arg) {
        try {
            var result = gen[key](arg);
            var value = result.value;
            var overloaded = value instanceof _overload_yield;
            Promise.resolve(overloaded ? value.v : value).then(function(arg) {
                if (overloaded) {
                    var nextKey = key === "return" ? "return" : "next";
                    if (!value.k || arg.done) return resume(nextKey, arg);
                    else arg = gen[nextKey](arg).value;
                }
                settle(result.done ? "return" : "normal", arg);
            }, function(err) {
                resume("throw", err);
            });
        } catch (err) {
            settle("throw", err);
        }
    }
    function settle(type, value) {
        switch(type){
            case "return":
                front.resolve({
                    value: value,
                    done: true
                });
                break;
            case "throw":
                front.reject(value);
                break;
            default:
                front.resolve({
                    value: value,
                    done: false
                });
                break;
        }
        front = front.next;
        if (front) resume(front.key, front.arg);
        else back = null;
    }
    this._invoke = send;
    if (typeof gen.return !== "function") this.return = undefined;
}
_async_generator.prototype[typeof Symbol === "function" && Symbol.asyncIterator || "@@asyncIterator"] = function() {
    return this;
};
_async_generator.prototype.next = function(arg) {
    return this._invoke("next", arg);
};
_async_generator.prototype.throw = function(arg) {
    return this._invoke("throw", arg);
};
_async_generator.prototype.return = function(arg) {
    return this._invoke("return", arg);
};
function _async_iterator(iterable) {
    var method, async, sync, retry = 2;
    for("undefined" != typeof Symbol && (async = Symbol.asyncIterator, sync = Symbol.iterator); retry--;){
        if (async && null != (method = iterable[async])) return method.call(iterable);
        if (sync && null != (method = iterable[sync])) return new AsyncFromSyncIterator(method.call(iterable));
        async = "@@asyncIterator", sync = "@@iterator";
    }
    throw new TypeError("Object is not async iterable");
}
function AsyncFromSyncIterator(s) {
    function AsyncFromSyncIteratorContinuation(r) {
        if (Object(r) !== r) return Promise.reject(new TypeError(r + " is not an object."));
        var done = r.done;
        return Promise.resolve(r.value).then(function(value) {
            return {
                value: value,
                done: done
            };
        });
    }
    return AsyncFromSyncIterator = function(s) {
        this.s = s, this.n = s.next;
    }, AsyncFromSyncIterator.prototype = {
        s: null,
        n: null,
        next: function() {
            return AsyncFromSyncIteratorContinuation(this.n.apply(this.s, arguments));
        },
        return: function(value) {
            var ret = this.s.return;
            return void 0 === ret ? Promise.resolve({
                value: value,
                done: !0
            }) : AsyncFromSyncIteratorContinuation(ret.apply(this.s, arguments));
        },
        throw: function(value) {
            var thr = this.s.return;
            return void 0 === thr ? Promise.reject(value) : AsyncFromSyncIteratorContinuation(thr.apply(this.s, arguments));
        }
    }, new AsyncFromSyncIterator(s);
}
function asyncGeneratorStep(gen, resolve, reject, _next, _throw, key, arg) {
    try {
        var info = gen[key](arg);
        var value = info.value;
    } catch (error) {
        reject(error);
        return;
    }
    if (info.done) resolve(value);
    else Promise.resolve(value).then(_next, _throw);
}
function _async_to_generator(fn) {
    return function() {
        var self = this, args = arguments;
        return new Promise(function(resolve, reject) {
            var gen = fn.apply(self, args);
            function _next(value) {
                asyncGeneratorStep(gen, resolve, reject, _next, _throw, "next", value);
            }
            function _throw(err) {
                asyncGeneratorStep(gen, resolve, reject, _next, _throw, "throw", err);
            }
            _next(undefined);
        });
    };
}
function _await_async_generator(value) {
    return new _overload_yield(value, 0);
}
function _class_call_check(instance, Constructor) {
    if (!(instance instanceof Constructor)) throw new TypeError("Cannot call a class as a function");
}
function _define_enumerable_properties(obj, descs) {
    for(var key in descs){
        var desc = descs[key];
        desc.configurable = desc.enumerable = true;
        if ("value" in desc) desc.writable = true;
        Object.defineProperty(obj, key, desc);
    }
    if (Object.getOwnPropertySymbols) {
        var objectSymbols = Object.getOwnPropertySymbols(descs);
        for(var i = 0; i < objectSymbols.length; i++){
            var sym = objectSymbols[i];
            var desc = descs[sym];
            desc.configurable = desc.enumerable = true;
            if ("value" in desc) desc.writable = true;
            Object.defineProperty(obj, sym, desc);
        }
    }
    return obj;
}
function _define_property(obj, key, value) {
    if (key in obj) {
        Object.defineProperty(obj, key, {
            value: value,
            enumerable: true,
            configurable: true,
            writable: true
        });
    } else obj[key] = value;
    return obj;
}
function _iterable_to_array(iter) {
    if (typeof Symbol !== "undefined" && iter[Symbol.iterator] != null || iter["@@iterator"] != null) {
        return Array.from(iter);
    }
}
function _iterable_to_array_limit(arr, i) {
    var _i = arr == null ? null : typeof Symbol !== "undefined" && arr[Symbol.iterator] || arr["@@iterator"];
    if (_i == null) return;
    var _arr = [];
    var _n = true;
    var _d = false;
    var _s, _e;
    try {
        for(_i = _i.call(arr); !(_n = (_s = _i.next()).done); _n = true){
            _arr.push(_s.value);
            if (i && _arr.length === i) break;
        }
    } catch (err) {
        _d = true;
        _e = err;
    } finally{
        try {
            if (!_n && _i["return"] != null) _i["return"]();
        } finally{
            if (_d) throw _e;
        }
    }
    return _arr;
}
function _non_iterable_rest() {
    throw new TypeError("Invalid attempt to destructure non-iterable instance.\nIn order to be iterable, non-array objects must have a [Symbol.iterator]() method.");
}
function _non_iterable_spread() {
    throw new TypeError("Invalid attempt to spread non-iterable instance.\nIn order to be iterable, non-array objects must have a [Symbol.iterator]() method.");
}
function _overload_yield(value, kind) {
    this.v = value;
    this.k = kind;
}
function _sliced_to_array(arr, i) {
    return _array_with_holes(arr) || _iterable_to_array_limit(arr, i) || _unsupported_iterable_to_array(arr, i) || _non_iterable_rest();
}
function _tagged_template_literal(strings, raw) {
    if (!raw) raw = strings.slice(0);
    return Object.freeze(Object.defineProperties(strings, {
        raw: {
            value: Object.freeze(raw)
        }
    }));
}
function _to_consumable_array(arr) {
    return _array_without_holes(arr) || _iterable_to_array(arr) || _unsupported_iterable_to_array(arr) || _non_iterable_spread();
}
function _ts_generator(thisArg, body) {
    var f, y, t, _ = {
        label: 0,
        sent: function() {
            if (t[0] & 1) throw t[1];
            return t[1];
        },
        trys: [],
        ops: []
    }, g = Object.create((typeof Iterator === "function" ? Iterator : Object).prototype), d = Object.defineProperty;
    return d(g, "next", {
        value: verb(0)
    }), d(g, "throw", {
        value: verb(1)
    }), d(g, "return", {
        value: verb(2)
    }), typeof Symbol === "function" && d(g, Symbol.iterator, {
        value: function() {
            return this;
        }
    }), g;
    function verb(n) {
        return function(v) {
            return step([
                n,
                v
            ]);
        };
    }
    function step(op) {
        if (f) throw new TypeError("Generator is already executing.");
        while(g && (g = 0, op[0] && (_ = 0)), _)try {
            if (f = 1, y && (t = op[0] & 2 ? y["return"] : op[0] ? y["throw"] || ((t = y["return"]) && t.call(y), 0) : y.next) && !(t = t.call(y, op[1])).done) return t;
            if (y = 0, t) op = [
                op[0] & 2,
                t.value
            ];
            switch(op[0]){
                case 0:
                case 1:
                    t = op;
                    break;
                case 4:
                    _.label++;
                    return {
                        value: op[1],
                        done: false
                    };
                case 5:
                    _.label++;
                    y = op[1];
                    op = [
                        0
                    ];
                    continue;
                case 7:
                    op = _.ops.pop();
                    _.trys.pop();
                    continue;
                default:
                    if (!(t = _.trys, t = t.length > 0 && t[t.length - 1]) && (op[0] === 6 || op[0] === 2)) {
                        _ = 0;
                        continue;
                    }
                    if (op[0] === 3 && (!t || op[1] > t[0] && op[1] < t[3])) {
                        _.label = op[1];
                        break;
                    }
                    if (op[0] === 6 && _.label < t[1]) {
                        _.label = t[1];
                        t = op;
                        break;
                    }
                    if (t && _.label < t[2]) {
                        _.label = t[2];
                        _.ops.push(op);
                        break;
                    }
                    if (t[2]) _.ops.pop();
                    _.trys.pop();
                    continue;
            }
            op = body.call(thisArg, _);
        } catch (e) {
            op = [
                6,
                e
            ];
            y = 0;
        } finally{
            f = t = 0;
        }
        if (op[0] & 5) throw op[1];
        return {
            value: op[0] ? op[1] : void 0,
            done: true
        };
    }
}
function _unsupported_iterable_to_array(o, minLen) {
    if (!o) return;
    if (typeof o === "string") return _array_like_to_array(o, minLen);
    var n = Object.prototype.toString.call(o).slice(8, -1);
    if (n === "Object" && o.constructor) n = o.constructor.name;
    if (n === "Map" || n === "Set") return Array.from(o);
    if (n === "Arguments" || /^(?:Ui|I)nt(?:8|16|32)(?:Clamped)?Array$/.test(n)) return _array_like_to_array(o, minLen);
}
function _wrap_async_generator(fn) {
    return function() {
        return new _async_generator(fn.apply(this, arguments));
    };
}
function _templateObject() {
    var data = _tagged_template_literal([
        "x",
        "y",
        ""
    ]);
    _templateObject = function _templateObject() {
        return data;
    };
    return data;
}
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
var arrow = function arrow(x) {
    (0, _here.here)();
    return x;
};
var constrained = function constrained() {
    for(var _len = arguments.length, list = new Array(_len), _key = 0; _key < _len; _key++){
        list[_key] = arguments[_key];
    }
    return (0, _here.here)(), list.length;
};
var typed = function typed(n) {
    (0, _here.here)();
    return n;
};
var returns = function returns(n) {
    return {
        rows: [
            n
        ],
        read: function read(r) {
            (0, _here.here)(r);
        }
    };
};
var predicate = function predicate(x) {
    (0, _here.here)();
    return typeof x === 'string';
};
function asserts(x) {
    (0, _here.here)();
    if (typeof x !== 'number') throw new TypeError('no number');
}
var satisfied = {
    name: 'a',
    run: function run(n) {
        (0, _here.here)();
        return n;
    }
};
var asConst = {
    list: [
        'a'
    ],
    pick: function pick(i) {
        (0, _here.here)();
        return this.list[i];
    }
};
var cast = function cast(n) {
    (0, _here.here)();
    return n;
};
function defaults() {
    var read = arguments.length > 0 && arguments[0] !== void 0 ? arguments[0] : function(n) {
        (0, _here.here)(n);
    }, _ref = arguments.length > 1 && arguments[1] !== void 0 ? arguments[1] : {}, _ref_make = _ref.make, make = _ref_make === void 0 ? function() {
        (0, _here.here)();
        return 1;
    } : _ref_make, tmp = _ref.more, _ref1 = _sliced_to_array(tmp === void 0 ? [] : tmp, 1), tmp1 = _ref1[0], first = tmp1 === void 0 ? function() {
        (0, _here.here)();
        return 2;
    } : tmp1;
    read(1);
    return make() + first();
}
var ternary = function ternary(n) {
    return n > 1 ? ((0, _here.here)(), n) : ((0, _here.here)(), n);
};
var optional = {
    call: undefined
};
optional.call = function(n) {
    (0, _here.here)(n);
};
var curried = function curried(a) {
    return function(b) {
        return function(c) {
            (0, _here.here)();
            return [
                a,
                b,
                c
            ];
        };
    };
};
var once = function once(f) {
    var done;
    return function() {
        for(var _len = arguments.length, args = new Array(_len), _key = 0; _key < _len; _key++){
            args[_key] = arguments[_key];
        }
        (0, _here.here)();
        return (done !== null && done !== void 0 ? done : done = {
            v: f.apply(void 0, _to_consumable_array(args))
        }).v;
    };
};
var wrapped = once(function(n) {
    (0, _here.here)();
    return n;
});
var setUp = function prepare(x) {
    (0, _here.here)();
    return function() {
        (0, _here.here)();
        return x;
    };
}('quay');
var typedInside = function typedInside(rows) {
    return rows.reduce(function(sum, row) {
        (0, _here.here)();
        return sum + _to_consumable_array(row.values()).reduce(function(a, b) {
            (0, _here.here)();
            return a + b;
        }, 0);
    }, 0);
};
var less = function less(a, b, c) {
    (0, _here.here)();
    return a < b && b > c ? 1 : function() {
        (0, _here.here)();
        return 2;
    }();
};
function declaredAsync(n) {
    return _async_to_generator(function() {
        return _ts_generator(this, function(_state) {
            switch(_state.label){
                case 0:
                    (0, _here.here)();
                    return [
                        4,
                        null
                    ];
                case 1:
                    _state.sent();
                    (0, _here.here)();
                    return [
                        2,
                        n
                    ];
            }
        });
    })();
}
var arrowAsync = function arrowAsync(x) {
    return _async_to_generator(function() {
        return _ts_generator(this, function(_state) {
            switch(_state.label){
                case 0:
                    (0, _here.here)();
                    return [
                        4,
                        null
                    ];
                case 1:
                    _state.sent();
                    (0, _here.here)();
                    return [
                        2,
                        x
                    ];
            }
        });
    })();
};
var asyncName = function asyncName(n) {
    return _async_to_generator(function() {
        var inner;
        return _ts_generator(this, function(_state) {
            switch(_state.label){
                case 0:
                    inner = function inner() {
                        return _async_to_generator(function() {
                            return _ts_generator(this, function(_state) {
                                switch(_state.label){
                                    case 0:
                                        (0, _here.here)();
                                        return [
                                            4,
                                            0
                                        ];
                                    case 1:
                                        _state.sent();
                                        (0, _here.here)();
                                        return [
                                            2,
                                            n
                                        ];
                                }
                            });
                        })();
                    };
                    return [
                        4,
                        inner()
                    ];
                case 1:
                    return [
                        2,
                        _state.sent()
                    ];
            }
        });
    })();
};
function generator(n) {
    var i;
    return _ts_generator(this, function(_state) {
        switch(_state.label){
            case 0:
                (0, _here.here)();
                i = 0;
                _state.label = 1;
            case 1:
                if (!(i < n)) return [
                    3,
                    4
                ];
                (0, _here.here)();
                return [
                    4,
                    i
                ];
            case 2:
                _state.sent();
                _state.label = 3;
            case 3:
                i++;
                return [
                    3,
                    1
                ];
            case 4:
                return [
                    2
                ];
        }
    });
}
function asyncGenerator(n) {
    return _wrap_async_generator(function() {
        var i;
        return _ts_generator(this, function(_state) {
            switch(_state.label){
                case 0:
                    i = 0;
                    _state.label = 1;
                case 1:
                    if (!(i < n)) return [
                        3,
                        5
                    ];
                    (0, _here.here)();
                    return [
                        4,
                        _await_async_generator(Promise.resolve(i))
                    ];
                case 2:
                    return [
                        4,
                        _state.sent()
                    ];
                case 3:
                    _state.sent();
                    (0, _here.here)();
                    _state.label = 4;
                case 4:
                    i++;
                    return [
                        3,
                        1
                    ];
                case 5:
                    return [
                        2
                    ];
            }
        });
    })();
}
function tries() {
    return _async_to_generator(function() {
        var e, _iteratorAbruptCompletion, _didIteratorError, _iteratorError, _iterator, _step, _value, n, err;
        return _ts_generator(this, function(_state) {
            switch(_state.label){
                case 0:
                    _state.trys.push([
                        0,
                        2,
                        3,
                        4
                    ]);
                    (0, _here.here)();
                    return [
                        4,
                        Promise.reject(new RangeError('depth'))
                    ];
                case 1:
                    _state.sent();
                    return [
                        3,
                        4
                    ];
                case 2:
                    e = _state.sent();
                    (0, _here.here)(e);
                    return [
                        3,
                        4
                    ];
                case 3:
                    (0, _here.here)();
                    return [
                        7
                    ];
                case 4:
                    _iteratorAbruptCompletion = false, _didIteratorError = false;
                    _state.label = 5;
                case 5:
                    _state.trys.push([
                        5,
                        10,
                        11,
                        16
                    ]);
                    _iterator = _async_iterator(asyncGenerator(2));
                    _state.label = 6;
                case 6:
                    return [
                        4,
                        _iterator.next()
                    ];
                case 7:
                    if (!(_iteratorAbruptCompletion = !(_step = _state.sent()).done)) return [
                        3,
                        9
                    ];
                    _value = _step.value;
                    n = _value;
                    (0, _here.here)(n);
                    _state.label = 8;
                case 8:
                    _iteratorAbruptCompletion = false;
                    return [
                        3,
                        6
                    ];
                case 9:
                    return [
                        3,
                        16
                    ];
                case 10:
                    err = _state.sent();
                    _didIteratorError = true;
                    _iteratorError = err;
                    return [
                        3,
                        16
                    ];
                case 11:
                    _state.trys.push([
                        11,
                        ,
                        14,
                        15
                    ]);
                    if (!(_iteratorAbruptCompletion && _iterator.return != null)) return [
                        3,
                        13
                    ];
                    return [
                        4,
                        _iterator.return()
                    ];
                case 12:
                    _state.sent();
                    _state.label = 13;
                case 13:
                    return [
                        3,
                        15
                    ];
                case 14:
                    if (_didIteratorError) {
                        throw _iteratorError;
                    }
                    return [
                        7
                    ];
                case 15:
                    return [
                        7
                    ];
                case 16:
                    return [
                        4,
                        Promise.all([
                            1,
                            2
                        ].map(function(n) {
                            return _async_to_generator(function() {
                                return _ts_generator(this, function(_state) {
                                    switch(_state.label){
                                        case 0:
                                            (0, _here.here)();
                                            return [
                                                4,
                                                null
                                            ];
                                        case 1:
                                            _state.sent();
                                            (0, _here.here)(n);
                                            return [
                                                2
                                            ];
                                    }
                                });
                            })();
                        }))
                    ];
                case 17:
                    _state.sent();
                    return [
                        2
                    ];
            }
        });
    })();
}
var Tide = function(Tide) {
    Tide[Tide["Low"] = 1] = "Low";
    Tide[Tide["High"] = 2] = "High";
    Tide[Tide["Spring"] = tideOf('spring')] = "Spring";
    return Tide;
}({});
function tideOf(name) {
    (0, _here.here)();
    return name.length;
}
var Side = /*#__PURE__*/ function(Side) {
    Side[Side["Port"] = 0] = "Port";
    Side[Side["Starboard"] = 1] = "Starboard";
    return Side;
}({});
(function(Buoy) {
    Buoy.light = function(n) {
        (0, _here.here)();
        return n;
    };
    function horn() {
        (0, _here.here)();
        return 0;
    }
    Buoy.horn = horn;
    (function(Deep) {
        Deep.sound = function() {
            (0, _here.here)();
            return [
                1
            ].map(function(n) {
                (0, _here.here)();
                return n;
            })[0];
        };
    })(Buoy.Deep || (Buoy.Deep = {}));
})(Buoy || (Buoy = {}));
var _obj, _mutatorMap = {};
var table = (_obj = {
    method: function method(n) {
        (0, _here.here)();
        return n;
    },
    property: function property(n) {
        (0, _here.here)();
        return n;
    },
    'quoted-name': function(n) {
        (0, _here.here)();
        return n;
    }
}, _define_property(_obj, 'comp' + 'uted', function(n) {
    (0, _here.here)();
    return n;
}), _mutatorMap["getter"] = _mutatorMap["getter"] || {}, _mutatorMap["getter"].get = function() {
    (0, _here.here)();
    return function(n) {
        (0, _here.here)();
        return n;
    };
}, _define_property(_obj, Symbol.asyncIterator, function() {
    return _wrap_async_generator(function() {
        return _ts_generator(this, function(_state) {
            switch(_state.label){
                case 0:
                    (0, _here.here)();
                    return [
                        4,
                        1
                    ];
                case 1:
                    _state.sent();
                    return [
                        2
                    ];
            }
        });
    })();
}), _define_enumerable_properties(_obj, _mutatorMap), _obj);
table[Symbol.iterator] = function() {
    return _ts_generator(this, function(_state) {
        switch(_state.label){
            case 0:
                (0, _here.here)();
                return [
                    4,
                    1
                ];
            case 1:
                _state.sent();
                return [
                    2
                ];
        }
    });
};
table.assigned = function(n) {
    (0, _here.here)();
    return n;
};
function _default(x) {
    (0, _here.here)();
    return x;
}
function callbacks(rows) {
    var list = rows;
    return list.map(function(param) {
        var id = param.id;
        (0, _here.here)();
        return id;
    }).filter(function(n) {
        (0, _here.here)();
        return n > 0;
    }).sort(function(a, b) {
        return (0, _here.here)(), a - b;
    }).reduce(function(a, b) {
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
    var Local = function Local(n) {
        "use strict";
        var _this = this;
        _class_call_check(this, Local);
        _define_property(this, "n", void 0);
        _define_property(this, "double", void 0);
        this.n = n;
        this.double = function() {
            (0, _here.here)();
            return _this.n * 2;
        };
        (0, _here.here)();
    };
    return twice(n) + new Local(n).double();
}
var tagged = function tagged(strings) {
    for(var _len = arguments.length, values = new Array(_len > 1 ? _len - 1 : 0), _key = 1; _key < _len; _key++){
        values[_key - 1] = arguments[_key];
    }
    (0, _here.here)();
    return strings.raw.join() + values;
};
var usesTag = function usesTag() {
    return tagged(_templateObject(), function() {
        (0, _here.here)();
        return 1;
    }(), function(x) {
        return x;
    });
};
function everything() {
    return _async_to_generator(function() {
        var _iteratorNormalCompletion, _didIteratorError, _iteratorError, _iterator, _step, n, _i, _iter, key, _iteratorNormalCompletion1, _didIteratorError1, _iteratorError1, _iterator1, _step1, n1, _iteratorAbruptCompletion, _didIteratorError2, _iteratorError2, _iterator2, _step2, _value, n2, err;
        return _ts_generator(this, function(_state) {
            switch(_state.label){
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
                    typedInside([
                        new Map([
                            [
                                'a',
                                1
                            ]
                        ])
                    ]);
                    less(1, 2, 1);
                    return [
                        4,
                        declaredAsync(1)
                    ];
                case 1:
                    _state.sent();
                    return [
                        4,
                        arrowAsync(1)
                    ];
                case 2:
                    _state.sent();
                    return [
                        4,
                        asyncName(1)
                    ];
                case 3:
                    _state.sent();
                    _iteratorNormalCompletion = true, _didIteratorError = false, _iteratorError = undefined;
                    try {
                        for(_iterator = generator(1)[Symbol.iterator](); !(_iteratorNormalCompletion = (_step = _iterator.next()).done); _iteratorNormalCompletion = true){
                            n = _step.value;
                            (0, _here.here)(n);
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
                    return [
                        4,
                        tries()
                    ];
                case 4:
                    _state.sent();
                    (0, _here.here)(1);
                    Buoy.light(1);
                    Buoy.horn();
                    Buoy.Deep.sound();
                    for(_i = 0, _iter = [
                        'method',
                        'property',
                        'quoted-name',
                        'computed',
                        'assigned'
                    ]; _i < _iter.length; _i++){
                        key = _iter[_i];
                        table[key](1);
                    }
                    table.getter(1);
                    _iteratorNormalCompletion1 = true, _didIteratorError1 = false, _iteratorError1 = undefined;
                    try {
                        for(_iterator1 = table[Symbol.iterator](); !(_iteratorNormalCompletion1 = (_step1 = _iterator1.next()).done); _iteratorNormalCompletion1 = true){
                            n1 = _step1.value;
                            (0, _here.here)(n1);
                        }
                    } catch (err) {
                        _didIteratorError1 = true;
                        _iteratorError1 = err;
                    } finally{
                        try {
                            if (!_iteratorNormalCompletion1 && _iterator1.return != null) {
                                _iterator1.return();
                            }
                        } finally{
                            if (_didIteratorError1) {
                                throw _iteratorError1;
                            }
                        }
                    }
                    _iteratorAbruptCompletion = false, _didIteratorError2 = false;
                    _state.label = 5;
                case 5:
                    _state.trys.push([
                        5,
                        10,
                        11,
                        16
                    ]);
                    _iterator2 = _async_iterator(table);
                    _state.label = 6;
                case 6:
                    return [
                        4,
                        _iterator2.next()
                    ];
                case 7:
                    if (!(_iteratorAbruptCompletion = !(_step2 = _state.sent()).done)) return [
                        3,
                        9
                    ];
                    _value = _step2.value;
                    n2 = _value;
                    (0, _here.here)(n2);
                    _state.label = 8;
                case 8:
                    _iteratorAbruptCompletion = false;
                    return [
                        3,
                        6
                    ];
                case 9:
                    return [
                        3,
                        16
                    ];
                case 10:
                    err = _state.sent();
                    _didIteratorError2 = true;
                    _iteratorError2 = err;
                    return [
                        3,
                        16
                    ];
                case 11:
                    _state.trys.push([
                        11,
                        ,
                        14,
                        15
                    ]);
                    if (!(_iteratorAbruptCompletion && _iterator2.return != null)) return [
                        3,
                        13
                    ];
                    return [
                        4,
                        _iterator2.return()
                    ];
                case 12:
                    _state.sent();
                    _state.label = 13;
                case 13:
                    return [
                        3,
                        15
                    ];
                case 14:
                    if (_didIteratorError2) {
                        throw _iteratorError2;
                    }
                    return [
                        7
                    ];
                case 15:
                    return [
                        7
                    ];
                case 16:
                    callbacks([
                        {
                            id: 2
                        },
                        {
                            id: 1
                        }
                    ]);
                    nested(2);
                    usesTag();
                    return [
                        2
                    ];
            }
        });
    })();
}
var Buoy;

//# sourceMappingURL=functions.js.map
