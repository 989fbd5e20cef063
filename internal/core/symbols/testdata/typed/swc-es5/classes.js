// Classes with every kind of member.
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
    get Fault () {
        return Fault;
    },
    get Ferry () {
        return Ferry;
    },
    get LitFerry () {
        return LitFerry;
    },
    get Pier () {
        return Pier;
    },
    get Unnamed () {
        return Unnamed;
    },
    get Vessel () {
        return Vessel;
    },
    get default () {
        return _class;
    },
    get everything () {
        return everything;
    }
});
var _here = require("./here");
function _assert_this_initialized(self) {
    if (self === void 0) throw new ReferenceError("this hasn't been initialised - super() hasn't been called");
    return self;
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
function _call_super(_this, derived, args) {
    derived = _get_prototype_of(derived);
    return _possible_constructor_return(_this, _is_native_reflect_construct() ? Reflect.construct(derived, args || [], _get_prototype_of(_this).constructor) : derived.apply(_this, args));
}
function _check_private_redeclaration(obj, privateCollection) {
    if (privateCollection.has(obj)) {
        throw new TypeError("Cannot initialize the same private elements twice on an object");
    }
}
function _class_apply_descriptor_get(receiver, descriptor) {
    if (descriptor.get) return descriptor.get.call(receiver);
    return descriptor.value;
}
function _class_apply_descriptor_set(receiver, descriptor, value) {
    if (descriptor.set) descriptor.set.call(receiver, value);
    else {
        if (!descriptor.writable) {
            throw new TypeError("attempted to set read only private field");
        }
        descriptor.value = value;
    }
}
function _class_call_check(instance, Constructor) {
    if (!(instance instanceof Constructor)) throw new TypeError("Cannot call a class as a function");
}
function _class_check_private_static_access(receiver, classConstructor) {
    if (receiver !== classConstructor) throw new TypeError("Private static access of wrong provenance");
}
function _class_check_private_static_field_descriptor(descriptor, action) {
    if (descriptor === undefined) {
        throw new TypeError("attempted to " + action + " private static field before its declaration");
    }
}
function _class_extract_field_descriptor(receiver, privateMap, action) {
    if (!privateMap.has(receiver)) throw new TypeError("attempted to " + action + " private field on non-instance");
    return privateMap.get(receiver);
}
function _class_private_field_get(receiver, privateMap) {
    var descriptor = _class_extract_field_descriptor(receiver, privateMap, "get");
    return _class_apply_descriptor_get(receiver, descriptor);
}
function _class_private_field_init(obj, privateMap, value) {
    _check_private_redeclaration(obj, privateMap);
    privateMap.set(obj, value);
}
function _class_private_field_set(receiver, privateMap, value) {
    var descriptor = _class_extract_field_descriptor(receiver, privateMap, "set");
    _class_apply_descriptor_set(receiver, descriptor, value);
    return value;
}
function _class_private_method_get(receiver, privateSet, fn) {
    if (!privateSet.has(receiver)) throw new TypeError("attempted to get private field on non-instance");
    return fn;
}
function _class_private_method_init(obj, privateSet) {
    _check_private_redeclaration(obj, privateSet);
    privateSet.add(obj);
}
function _class_static_private_field_spec_get(receiver, classConstructor, descriptor) {
    _class_check_private_static_access(receiver, classConstructor);
    _class_check_private_static_field_descriptor(descriptor, "get");
    return _class_apply_descriptor_get(receiver, descriptor);
}
function _class_static_private_field_spec_set(receiver, classConstructor, descriptor, value) {
    _class_check_private_static_access(receiver, classConstructor);
    _class_check_private_static_field_descriptor(descriptor, "set");
    _class_apply_descriptor_set(receiver, descriptor, value);
    return value;
}
function _construct(Parent, args, Class) {
    if (_is_native_reflect_construct()) _construct = Reflect.construct;
    else {
        _construct = function construct(Parent, args, Class) {
            var a = [
                null
            ];
            a.push.apply(a, args);
            var Constructor = Function.bind.apply(Parent, a);
            var instance = new Constructor();
            if (Class) _set_prototype_of(instance, Class.prototype);
            return instance;
        };
    }
    return _construct.apply(null, arguments);
}
function _defineProperties(target, props) {
    for(var i = 0; i < props.length; i++){
        var descriptor = props[i];
        descriptor.enumerable = descriptor.enumerable || false;
        descriptor.configurable = true;
        if ("value" in descriptor) descriptor.writable = true;
        Object.defineProperty(target, descriptor.key, descriptor);
    }
}
function _create_class(Constructor, protoProps, staticProps) {
    if (protoProps) _defineProperties(Constructor.prototype, protoProps);
    if (staticProps) _defineProperties(Constructor, staticProps);
    return Constructor;
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
function _get(target, property, receiver) {
    if (typeof Reflect !== "undefined" && Reflect.get) _get = Reflect.get;
    else {
        _get = function get(target, property, receiver) {
            var base = _super_prop_base(target, property);
            if (!base) return;
            var desc = Object.getOwnPropertyDescriptor(base, property);
            if (desc.get) return desc.get.call(receiver || target);
            return desc.value;
        };
    }
    return _get(target, property, receiver || target);
}
function _get_prototype_of(o) {
    _get_prototype_of = Object.setPrototypeOf ? Object.getPrototypeOf : function getPrototypeOf(o) {
        return o.__proto__ || Object.getPrototypeOf(o);
    };
    return _get_prototype_of(o);
}
function _inherits(subClass, superClass) {
    if (typeof superClass !== "function" && superClass !== null) {
        throw new TypeError("Super expression must either be null or a function");
    }
    subClass.prototype = Object.create(superClass && superClass.prototype, {
        constructor: {
            value: subClass,
            writable: true,
            configurable: true
        }
    });
    if (superClass) _set_prototype_of(subClass, superClass);
}
function _is_native_function(fn) {
    return Function.toString.call(fn).indexOf("[native code]") !== -1;
}
function _is_native_reflect_construct() {
    try {
        var result = !Boolean.prototype.valueOf.call(Reflect.construct(Boolean, [], function() {}));
    } catch (_) {}
    return (_is_native_reflect_construct = function() {
        return !!result;
    })();
}
function _object_spread(target) {
    for(var i = 1; i < arguments.length; i++){
        var source = arguments[i] != null ? arguments[i] : {};
        var ownKeys = Object.keys(source);
        if (typeof Object.getOwnPropertySymbols === "function") {
            ownKeys = ownKeys.concat(Object.getOwnPropertySymbols(source).filter(function(sym) {
                return Object.getOwnPropertyDescriptor(source, sym).enumerable;
            }));
        }
        ownKeys.forEach(function(key) {
            _define_property(target, key, source[key]);
        });
    }
    return target;
}
function ownKeys(object, enumerableOnly) {
    var keys = Object.keys(object);
    if (Object.getOwnPropertySymbols) {
        var symbols = Object.getOwnPropertySymbols(object);
        if (enumerableOnly) {
            symbols = symbols.filter(function(sym) {
                return Object.getOwnPropertyDescriptor(object, sym).enumerable;
            });
        }
        keys.push.apply(keys, symbols);
    }
    return keys;
}
function _object_spread_props(target, source) {
    source = source != null ? source : {};
    if (Object.getOwnPropertyDescriptors) Object.defineProperties(target, Object.getOwnPropertyDescriptors(source));
    else {
        ownKeys(Object(source)).forEach(function(key) {
            Object.defineProperty(target, key, Object.getOwnPropertyDescriptor(source, key));
        });
    }
    return target;
}
function _overload_yield(value, kind) {
    this.v = value;
    this.k = kind;
}
function _possible_constructor_return(self, call) {
    if (call && (_type_of(call) === "object" || typeof call === "function")) return call;
    return _assert_this_initialized(self);
}
function _set_prototype_of(o, p) {
    _set_prototype_of = Object.setPrototypeOf || function setPrototypeOf(o, p) {
        o.__proto__ = p;
        return o;
    };
    return _set_prototype_of(o, p);
}
function _super_prop_base(object, property) {
    while(!Object.prototype.hasOwnProperty.call(object, property)){
        object = _get_prototype_of(object);
        if (object === null) break;
    }
    return object;
}
function _ts_decorate(decorators, target, key, desc) {
    var c = arguments.length, r = c < 3 ? target : desc === null ? desc = Object.getOwnPropertyDescriptor(target, key) : desc, d;
    if (typeof Reflect === "object" && typeof Reflect.decorate === "function") {
        r = Reflect.decorate(decorators, target, key, desc);
    } else {
        for(var i = decorators.length - 1; i >= 0; i--){
            if (d = decorators[i]) {
                r = (c < 3 ? d(r) : c > 3 ? d(target, key, r) : d(target, key)) || r;
            }
        }
    }
    return c > 3 && r && Object.defineProperty(target, key, r), r;
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
function _type_of(obj) {
    "@swc/helpers - typeof";
    return obj && typeof Symbol !== "undefined" && obj.constructor === Symbol ? "symbol" : typeof obj;
}
function _wrap_async_generator(fn) {
    return function() {
        return new _async_generator(fn.apply(this, arguments));
    };
}
function _wrap_native_super(Class) {
    var _cache = typeof Map === "function" ? new Map() : undefined;
    _wrap_native_super = function(Class) {
        if (Class === null || !_is_native_function(Class)) return Class;
        if (typeof Class !== "function") throw new TypeError("Super expression must either be null or a function");
        if (typeof _cache !== "undefined") {
            if (_cache.has(Class)) return _cache.get(Class);
            _cache.set(Class, Wrapper);
        }
        function Wrapper() {
            return _construct(Class, arguments, _get_prototype_of(this).constructor);
        }
        Wrapper.prototype = Object.create(Class.prototype, {
            constructor: {
                value: Wrapper,
                enumerable: false,
                writable: true,
                configurable: true
            }
        });
        return _set_prototype_of(Wrapper, Class);
    };
    return _wrap_native_super(Class);
}
function noted(_target, _name, d) {
    var real = d.value;
    return _object_spread_props(_object_spread({}, d), {
        value: function value() {
            for(var _len = arguments.length, args = new Array(_len), _key = 0; _key < _len; _key++){
                args[_key] = arguments[_key];
            }
            (0, _here.here)();
            return real.apply(this, args);
        }
    });
}
var kept = function kept(c) {
    (0, _here.here)();
    return c;
};
var _Vessel, _name = /*#__PURE__*/ new WeakMap(), _secret = /*#__PURE__*/ new WeakSet(), _hidden = /*#__PURE__*/ new WeakMap();
var Vessel = /*#__PURE__*/ function() {
    "use strict";
    function Vessel(name) {
        var _this = this;
        var log = arguments.length > 1 && arguments[1] !== void 0 ? arguments[1] : function(s) {
            (0, _here.here)(s);
        };
        _class_call_check(this, Vessel);
        _class_private_method_init(this, _secret);
        _class_private_field_init(this, _hidden, {
            get: get_hidden,
            set: void 0
        });
        _define_property(this, "log", void 0);
        _class_private_field_init(this, _name, {
            writable: true,
            value: void 0
        });
        _define_property(this, "cargo", void 0);
        _define_property(this, "onMoor", void 0);
        _define_property(this, "onCast", void 0);
        _define_property(this, "rows", void 0);
        this.log = log;
        this.onMoor = function(quay) {
            (0, _here.here)();
            return _class_private_field_get(_this, _name) + quay;
        };
        this.onCast = function() {
            (0, _here.here)();
        };
        this.rows = [
            1,
            2
        ].map(function(n) {
            (0, _here.here)();
            return n;
        });
        _class_private_field_set(this, _name, name);
        (0, _here.here)();
        this.log(name);
        _class_private_method_get(this, _secret, secret).call(this);
    }
    _create_class(Vessel, [
        {
            key: "name",
            get: function get() {
                (0, _here.here)();
                return _class_private_field_get(this, _name);
            },
            set: function set(v) {
                (0, _here.here)(v);
                _class_private_field_set(this, _name, v);
            }
        },
        {
            key: Symbol.iterator,
            value: function value() {
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
            }
        },
        {
            key: "stops",
            value: function stops(n) {
                return _wrap_async_generator(function() {
                    return _ts_generator(this, function(_state) {
                        switch(_state.label){
                            case 0:
                                (0, _here.here)();
                                return [
                                    4,
                                    n
                                ];
                            case 1:
                                _state.sent();
                                return [
                                    4,
                                    _await_async_generator(null)
                                ];
                            case 2:
                                _state.sent();
                                (0, _here.here)();
                                return [
                                    2
                                ];
                        }
                    });
                })();
            }
        },
        {
            key: "moor",
            value: function moor(quay) {
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
                                    function() {
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
                                                            quay
                                                        ];
                                                }
                                            });
                                        })();
                                    }()
                                ];
                        }
                    });
                })();
            }
        },
        {
            key: "literal",
            value: function literal() {
                (0, _here.here)();
                return 3;
            }
        },
        {
            key: 'with-dash',
            value: function value() {
                (0, _here.here)();
                return 4;
            }
        }
    ], [
        {
            key: "nameOf",
            value: function nameOf(s) {
                (0, _here.here)();
                return s;
            }
        },
        {
            key: "create",
            value: function create(make) {
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
                                    make()
                                ];
                        }
                    });
                })();
            }
        },
        {
            key: "built",
            get: function get() {
                (0, _here.here)();
                return _class_static_private_field_spec_get(this, Vessel, _built);
            }
        }
    ]);
    return Vessel;
}();
var _built = {
    writable: true,
    value: 0
};
_define_property(Vessel, "yard", Vessel.nameOf('yard'));
(function() {
    (0, _here.here)();
    _class_static_private_field_spec_set(_Vessel = Vessel, Vessel, _built, _class_static_private_field_spec_get(Vessel, Vessel, _built) + 1);
    [
        1
    ].forEach(function() {
        (0, _here.here)();
    });
})();
function secret() {
    (0, _here.here)();
    return _class_private_field_get(this, _hidden);
}
function get_hidden() {
    (0, _here.here)();
    return this.rows.length;
}
var Ferry = /*#__PURE__*/ function(Vessel) {
    "use strict";
    _inherits(Ferry, Vessel);
    function Ferry(name) {
        _class_call_check(this, Ferry);
        var _this;
        _this = _call_super(this, Ferry, [
            name
        ]), _define_property(_this, "decks", 2);
        (0, _here.here)();
        _this.decks = _this.count(function(n) {
            (0, _here.here)();
            return n > 0;
        });
        return _this;
    }
    _create_class(Ferry, [
        {
            key: "draught",
            value: function draught() {
                (0, _here.here)();
                return _get(_get_prototype_of(Ferry.prototype), 'with-dash', this).call(this);
            }
        },
        {
            key: "count",
            value: function count(is) {
                (0, _here.here)();
                return [
                    1,
                    2
                ].filter(is).length;
            }
        },
        {
            key: "board",
            value: function board(seats) {
                var by = arguments.length > 1 && arguments[1] !== void 0 ? arguments[1] : {};
                (0, _here.here)(by);
                return seats;
            }
        },
        {
            key: "moor",
            value: function moor(quay) {
                var _this = this;
                var _this1 = this, _superprop_get_moor = function _superprop_get_moor() {
                    return _get(_get_prototype_of(Ferry.prototype), "moor", _this);
                };
                return _async_to_generator(function() {
                    var q;
                    return _ts_generator(this, function(_state) {
                        switch(_state.label){
                            case 0:
                                (0, _here.here)();
                                return [
                                    4,
                                    _superprop_get_moor().call(_this1, quay)
                                ];
                            case 1:
                                q = _state.sent();
                                (0, _here.here)();
                                return [
                                    2,
                                    q
                                ];
                        }
                    });
                })();
            }
        }
    ]);
    return Ferry;
}(Vessel);
_define_property(Ferry, "cache", new Map());
_define_property(Ferry, "of", function(name) {
    (0, _here.here)();
    return new Ferry(name);
});
_ts_decorate([
    noted
], Ferry.prototype, "board", null);
var Lit = function Lit(Base) {
    var _class = /*#__PURE__*/ function(Base) {
        "use strict";
        _inherits(_class, Base);
        function _class() {
            _class_call_check(this, _class);
            var _this;
            _this = _call_super(this, _class, arguments), _define_property(_this, "shine", function() {
                (0, _here.here)();
                return 1;
            });
            return _this;
        }
        _create_class(_class, [
            {
                key: "dim",
                value: function dim() {
                    (0, _here.here)();
                    return 0;
                }
            }
        ]);
        return _class;
    }(Base);
    return _class;
};
var LitFerry = Lit(Ferry);
var Unnamed = kept(/*#__PURE__*/ function() {
    "use strict";
    function _class() {
        _class_call_check(this, _class);
    }
    _create_class(_class, [
        {
            key: "run",
            value: function run() {
                (0, _here.here)();
                return 1;
            }
        }
    ], [
        {
            key: "make",
            value: function make() {
                (0, _here.here)();
                return new this();
            }
        }
    ]);
    return _class;
}());
var _class = /*#__PURE__*/ function() {
    "use strict";
    function _class() {
        _class_call_check(this, _class);
    }
    _create_class(_class, [
        {
            key: "swing",
            value: function swing() {
                (0, _here.here)();
                return 1;
            }
        }
    ]);
    return _class;
}();
_define_property(_class, "arm", function() {
    (0, _here.here)();
    return 2;
});
function Pier(n) {
    (0, _here.here)();
    this.list = [
        n
    ];
    this.add = function(m) {
        (0, _here.here)(m);
    };
}
Pier.prototype.count = function() {
    (0, _here.here)();
    return this.list.length;
};
Pier.open = function(n) {
    (0, _here.here)();
    return new Pier(n);
};
var Fault = /*#__PURE__*/ function(Error1) {
    "use strict";
    _inherits(Fault, Error1);
    function Fault(message, code, options) {
        _class_call_check(this, Fault);
        var _this;
        _this = _call_super(this, Fault, [
            message
        ]), _define_property(_this, "code", void 0), _this.code = code;
        (0, _here.here)(options);
        _this.name = 'Fault';
        return _this;
    }
    _create_class(Fault, null, [
        {
            key: "from",
            value: function from(e) {
                (0, _here.here)();
                return new Fault(String(e), 1, {
                    cause: e
                });
            }
        }
    ]);
    return Fault;
}(_wrap_native_super(Error));
function everything(Anchor) {
    return _async_to_generator(function() {
        var f, _iteratorNormalCompletion, _didIteratorError, _iteratorError, _iterator, _step, n, _iteratorAbruptCompletion, _didIteratorError1, _iteratorError1, _iterator1, _step1, _value, n1, err, l, p;
        return _ts_generator(this, function(_state) {
            switch(_state.label){
                case 0:
                    f = Ferry.of('Eider');
                    f.onMoor('a');
                    f.onCast();
                    f.name = f.name + '1';
                    f.draught();
                    f.board(3);
                    (0, _here.here)(Vessel.built);
                    f.literal();
                    return [
                        4,
                        f.moor('a')
                    ];
                case 1:
                    _state.sent();
                    return [
                        4,
                        Ferry.create(function() {
                            (0, _here.here)();
                            return 1;
                        })
                    ];
                case 2:
                    _state.sent();
                    _iteratorNormalCompletion = true, _didIteratorError = false, _iteratorError = undefined;
                    try {
                        for(_iterator = f[Symbol.iterator](); !(_iteratorNormalCompletion = (_step = _iterator.next()).done); _iteratorNormalCompletion = true){
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
                    _iteratorAbruptCompletion = false, _didIteratorError1 = false;
                    _state.label = 3;
                case 3:
                    _state.trys.push([
                        3,
                        8,
                        9,
                        14
                    ]);
                    _iterator1 = _async_iterator(f.stops(1));
                    _state.label = 4;
                case 4:
                    return [
                        4,
                        _iterator1.next()
                    ];
                case 5:
                    if (!(_iteratorAbruptCompletion = !(_step1 = _state.sent()).done)) return [
                        3,
                        7
                    ];
                    _value = _step1.value;
                    n1 = _value;
                    (0, _here.here)(n1);
                    _state.label = 6;
                case 6:
                    _iteratorAbruptCompletion = false;
                    return [
                        3,
                        4
                    ];
                case 7:
                    return [
                        3,
                        14
                    ];
                case 8:
                    err = _state.sent();
                    _didIteratorError1 = true;
                    _iteratorError1 = err;
                    return [
                        3,
                        14
                    ];
                case 9:
                    _state.trys.push([
                        9,
                        ,
                        12,
                        13
                    ]);
                    if (!(_iteratorAbruptCompletion && _iterator1.return != null)) return [
                        3,
                        11
                    ];
                    return [
                        4,
                        _iterator1.return()
                    ];
                case 10:
                    _state.sent();
                    _state.label = 11;
                case 11:
                    return [
                        3,
                        13
                    ];
                case 12:
                    if (_didIteratorError1) {
                        throw _iteratorError1;
                    }
                    return [
                        7
                    ];
                case 13:
                    return [
                        7
                    ];
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
                    return [
                        2
                    ];
            }
        });
    })();
}

//# sourceMappingURL=classes.js.map
