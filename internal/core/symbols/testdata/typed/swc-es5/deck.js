// Components, with what they are made of.
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
    get Badge () {
        return Badge;
    },
    get Memo () {
        return Memo;
    },
    get Panel () {
        return Panel;
    },
    get Ref () {
        return Ref;
    },
    get Table () {
        return Table;
    },
    get default () {
        return App;
    },
    get everything () {
        return everything;
    },
    get handlers () {
        return handlers;
    },
    get useCrew () {
        return useCrew;
    }
});
var _jsxruntime = require("react/jsx-runtime");
var _react = /*#__PURE__*/ _interop_require_wildcard(require("react"));
var _server = require("react-dom/server");
var _here = require("./here");
function _array_like_to_array(arr, len) {
    if (len == null || len > arr.length) len = arr.length;
    for(var i = 0, arr2 = new Array(len); i < len; i++)arr2[i] = arr[i];
    return arr2;
}
function _array_with_holes(arr) {
    if (Array.isArray(arr)) return arr;
}
function _assert_this_initialized(self) {
    if (self === void 0) throw new ReferenceError("this hasn't been initialised - super() hasn't been called");
    return self;
}
function _call_super(_this, derived, args) {
    derived = _get_prototype_of(derived);
    return _possible_constructor_return(_this, _is_native_reflect_construct() ? Reflect.construct(derived, args || [], _get_prototype_of(_this).constructor) : derived.apply(_this, args));
}
function _class_call_check(instance, Constructor) {
    if (!(instance instanceof Constructor)) throw new TypeError("Cannot call a class as a function");
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
function _getRequireWildcardCache(nodeInterop) {
    if (typeof WeakMap !== "function") return null;
    var cacheBabelInterop = new WeakMap();
    var cacheNodeInterop = new WeakMap();
    return (_getRequireWildcardCache = function(nodeInterop) {
        return nodeInterop ? cacheNodeInterop : cacheBabelInterop;
    })(nodeInterop);
}
function _interop_require_wildcard(obj, nodeInterop) {
    if (!nodeInterop && obj && obj.__esModule) return obj;
    if (obj === null || typeof obj !== "object" && typeof obj !== "function") return {
        default: obj
    };
    var cache = _getRequireWildcardCache(nodeInterop);
    if (cache && cache.has(obj)) return cache.get(obj);
    var newObj = {
        __proto__: null
    };
    var hasPropertyDescriptor = Object.defineProperty && Object.getOwnPropertyDescriptor;
    for(var key in obj){
        if (key !== "default" && Object.prototype.hasOwnProperty.call(obj, key)) {
            var desc = hasPropertyDescriptor ? Object.getOwnPropertyDescriptor(obj, key) : null;
            if (desc && (desc.get || desc.set)) Object.defineProperty(newObj, key, desc);
            else newObj[key] = obj[key];
        }
    }
    newObj.default = obj;
    if (cache) cache.set(obj, newObj);
    return newObj;
}
function _is_native_reflect_construct() {
    try {
        var result = !Boolean.prototype.valueOf.call(Reflect.construct(Boolean, [], function() {}));
    } catch (_) {}
    return (_is_native_reflect_construct = function() {
        return !!result;
    })();
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
function _sliced_to_array(arr, i) {
    return _array_with_holes(arr) || _iterable_to_array_limit(arr, i) || _unsupported_iterable_to_array(arr, i) || _non_iterable_rest();
}
function _type_of(obj) {
    "@swc/helpers - typeof";
    return obj && typeof Symbol !== "undefined" && obj.constructor === Symbol ? "symbol" : typeof obj;
}
function _unsupported_iterable_to_array(o, minLen) {
    if (!o) return;
    if (typeof o === "string") return _array_like_to_array(o, minLen);
    var n = Object.prototype.toString.call(o).slice(8, -1);
    if (n === "Object" && o.constructor) n = o.constructor.name;
    if (n === "Map" || n === "Set") return Array.from(o);
    if (n === "Arguments" || /^(?:Ui|I)nt(?:8|16|32)(?:Clamped)?Array$/.test(n)) return _array_like_to_array(o, minLen);
}
var Crew = /*#__PURE__*/ _react.createContext({
    names: []
});
function useCrew(pick) {
    (0, _here.here)();
    var names = _react.useContext(Crew).names;
    return _react.useMemo(function() {
        (0, _here.here)();
        return pick(names);
    }, [
        names,
        pick
    ]);
}
function Table(param) {
    var rows = param.rows, render = param.render, _param_onPick = param.onPick, onPick = _param_onPick === void 0 ? function() {
        (0, _here.here)();
    } : _param_onPick;
    (0, _here.here)();
    var _React_useState = _sliced_to_array(_react.useState(function() {
        (0, _here.here)();
        return rows.length < 3;
    }), 1), state = _React_useState[0];
    var pick = _react.useCallback(function(row) {
        (0, _here.here)();
        onPick(row);
    }, [
        onPick
    ]);
    rows.forEach(function(row) {
        return pick(row);
    });
    return /*#__PURE__*/ (0, _jsxruntime.jsx)("table", {
        "data-open": state,
        children: /*#__PURE__*/ (0, _jsxruntime.jsx)("tbody", {
            children: rows.map(function(row, i) {
                (0, _here.here)();
                return /*#__PURE__*/ (0, _jsxruntime.jsx)("tr", {
                    onClick: function onClick() {
                        (0, _here.here)(row);
                    },
                    children: render(row, i)
                }, row.id);
            })
        })
    });
}
var Badge = function Badge(param) {
    var n = param.n;
    (0, _here.here)();
    return /*#__PURE__*/ (0, _jsxruntime.jsxs)("b", {
        children: [
            n > 1 ? "".concat(n, " crew") : 'alone',
            " isn't ",
            "it's",
            " < that"
        ]
    });
};
var Memo = /*#__PURE__*/ _react.memo(function Inner(param) {
    var n = param.n;
    (0, _here.here)();
    return /*#__PURE__*/ (0, _jsxruntime.jsx)(Badge, {
        n: n
    });
});
var Ref = /*#__PURE__*/ _react.forwardRef(function(param, ref) {
    var label = param.label;
    (0, _here.here)();
    return /*#__PURE__*/ (0, _jsxruntime.jsx)("div", {
        ref: ref,
        children: label
    });
});
var Panel = /*#__PURE__*/ function(_React_Component) {
    "use strict";
    _inherits(Panel, _React_Component);
    function Panel() {
        _class_call_check(this, Panel);
        var _this;
        _this = _call_super(this, Panel, arguments), _define_property(_this, "state", {
            n: 1
        }), _define_property(_this, "turn", function(n) {
            (0, _here.here)();
            return n;
        });
        return _this;
    }
    _create_class(Panel, [
        {
            key: "twice",
            get: function get() {
                (0, _here.here)();
                return this.state.n * 2;
            }
        },
        {
            key: "componentDidMount",
            value: function componentDidMount() {
                (0, _here.here)();
            }
        },
        {
            key: "render",
            value: function render() {
                (0, _here.here)();
                return /*#__PURE__*/ (0, _jsxruntime.jsx)(_jsxruntime.Fragment, {
                    children: this.props.children(this.turn(this.twice))
                });
            }
        }
    ]);
    return Panel;
}(_react.Component);
function App(param) {
    var names = param.names;
    (0, _here.here)();
    var count = useCrew(function(list) {
        (0, _here.here)();
        return list.length;
    });
    var rows = names.map(function(name, id) {
        (0, _here.here)();
        return {
            id: id,
            name: name
        };
    });
    return /*#__PURE__*/ (0, _jsxruntime.jsxs)(Crew.Provider, {
        value: {
            names: names
        },
        children: [
            /*#__PURE__*/ (0, _jsxruntime.jsx)(Table, {
                rows: rows,
                render: function render(row) {
                    (0, _here.here)();
                    return /*#__PURE__*/ (0, _jsxruntime.jsx)("i", {
                        children: row.name
                    });
                }
            }),
            /*#__PURE__*/ (0, _jsxruntime.jsx)(Memo, {
                n: count
            }),
            " ",
            /*#__PURE__*/ (0, _jsxruntime.jsx)(Ref, {
                label: "quay"
            }),
            " ",
            /*#__PURE__*/ (0, _jsxruntime.jsx)(Panel, {
                children: function children(n) {
                    (0, _here.here)();
                    return /*#__PURE__*/ (0, _jsxruntime.jsx)(Badge, {
                        n: n
                    });
                }
            }),
            count > 5 && /*#__PURE__*/ (0, _jsxruntime.jsx)("p", {
                children: function() {
                    (0, _here.here)();
                    return 'many';
                }()
            })
        ]
    });
}
function everything() {
    (0, _server.renderToString)(/*#__PURE__*/ (0, _jsxruntime.jsx)(App, {
        names: [
            'Runa',
            'Liv'
        ]
    }));
    var tree = Table({
        rows: [
            {
                id: 1,
                name: 'a'
            }
        ],
        render: function render() {
            (0, _here.here)();
            return null;
        }
    });
    (0, _here.here)(tree);
}
function handlers() {
    var button = /*#__PURE__*/ (0, _jsxruntime.jsx)("button", {
        onClick: function onClick() {
            (0, _here.here)();
        },
        onFocus: function onFocus() {
            (0, _here.here)();
        },
        children: "Go"
    });
    button.props.onClick();
    button.props.onFocus();
}

//# sourceMappingURL=deck.js.map
