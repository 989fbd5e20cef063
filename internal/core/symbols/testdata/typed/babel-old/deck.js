"use strict";

function _typeof(o) { "@babel/helpers - typeof"; return _typeof = "function" == typeof Symbol && "symbol" == typeof Symbol.iterator ? function (o) { return typeof o; } : function (o) { return o && "function" == typeof Symbol && o.constructor === Symbol && o !== Symbol.prototype ? "symbol" : typeof o; }, _typeof(o); }
Object.defineProperty(exports, "__esModule", {
  value: true
});
exports.Ref = exports.Panel = exports.Memo = exports.Badge = void 0;
exports.Table = Table;
exports.default = App;
exports.everything = everything;
exports.handlers = handlers;
exports.useCrew = useCrew;
var React = _interopRequireWildcard(require("react"));
var _server = require("react-dom/server");
var _here = require("./here");
var _jsxRuntime = require("react/jsx-runtime");
var cache;
function _interopRequireWildcard(e, t) { if (!t && e && e.__esModule) return e; var r, c, a = Object.defineProperty, n = { __proto__: null, default: e }; if (Object(e) !== e) return n; if (cache || "function" != typeof WeakMap || (cache = new WeakMap()), cache) { if (cache.has(e)) return cache.get(e); cache.set(e, n); } for (c in e) "default" !== c && {}.hasOwnProperty.call(e, c) && ((r = a && Object.getOwnPropertyDescriptor(e, c)) && (r.get || r.set) ? a(n, c, r) : n[c] = e[c]); return n; }
function _classCallCheck(a, n) { if (!(a instanceof n)) throw new TypeError("Cannot call a class as a function"); }
function _defineProperties(e, r) { for (var t = 0; t < r.length; t++) { var o = r[t]; o.enumerable = o.enumerable || !1, o.configurable = !0, "value" in o && (o.writable = !0), Object.defineProperty(e, _toPropertyKey(o.key), o); } }
function _createClass(e, r, t) { return r && _defineProperties(e.prototype, r), t && _defineProperties(e, t), Object.defineProperty(e, "prototype", { writable: !1 }), e; }
function _callSuper(t, o, e) { return o = _getPrototypeOf(o), _possibleConstructorReturn(t, _isNativeReflectConstruct() ? Reflect.construct(o, e || [], _getPrototypeOf(t).constructor) : o.apply(t, e)); }
function _possibleConstructorReturn(t, e) { if (e && ("object" == _typeof(e) || "function" == typeof e)) return e; if (void 0 !== e) throw new TypeError("Derived constructors may only return object or undefined"); return _assertThisInitialized(t); }
function _assertThisInitialized(e) { if (void 0 === e) throw new ReferenceError("this hasn't been initialised - super() hasn't been called"); return e; }
function _isNativeReflectConstruct() { try { var t = !Boolean.prototype.valueOf.call(Reflect.construct(Boolean, [], function () {})); } catch (t) {} return (_isNativeReflectConstruct = function _isNativeReflectConstruct() { return !!t; })(); }
function _getPrototypeOf(t) { return _getPrototypeOf = Object.setPrototypeOf ? Object.getPrototypeOf.bind() : function (t) { return t.__proto__ || Object.getPrototypeOf(t); }, _getPrototypeOf(t); }
function _inherits(t, e) { if ("function" != typeof e && null !== e) throw new TypeError("Super expression must either be null or a function"); t.prototype = Object.create(e && e.prototype, { constructor: { value: t, writable: !0, configurable: !0 } }), Object.defineProperty(t, "prototype", { writable: !1 }), e && _setPrototypeOf(t, e); }
function _setPrototypeOf(t, e) { return _setPrototypeOf = Object.setPrototypeOf ? Object.setPrototypeOf.bind() : function (t, e) { return t.__proto__ = e, t; }, _setPrototypeOf(t, e); }
function _defineProperty(e, r, t) { return (r = _toPropertyKey(r)) in e ? Object.defineProperty(e, r, { value: t, enumerable: !0, configurable: !0, writable: !0 }) : e[r] = t, e; }
function _toPropertyKey(t) { var i = _toPrimitive(t, "string"); return "symbol" == _typeof(i) ? i : i + ""; }
function _toPrimitive(t, e) { if ("object" != _typeof(t) || !t) return t; var r; if ("undefined" != typeof Symbol && void 0 !== (r = t[Symbol.toPrimitive])) { var i = r.call(t, e || "default"); if ("object" != _typeof(i)) return i; throw new TypeError("@@toPrimitive must return a primitive value."); } return ("string" === e ? String : Number)(t); }
function _slicedToArray(r, e) { return _arrayWithHoles(r) || _iterableToArrayLimit(r, e) || _unsupportedIterableToArray(r, e) || _nonIterableRest(); }
function _nonIterableRest() { throw new TypeError("Invalid attempt to destructure non-iterable instance.\nIn order to be iterable, non-array objects must have a [Symbol.iterator]() method."); }
function _unsupportedIterableToArray(r, a) { if (r) { if ("string" == typeof r) return _arrayLikeToArray(r, a); var t = {}.toString.call(r).slice(8, -1); return "Object" === t && r.constructor && (t = r.constructor.name), "Map" === t || "Set" === t ? Array.from(r) : "Arguments" === t || /^(?:Ui|I)nt(?:8|16|32)(?:Clamped)?Array$/.test(t) ? _arrayLikeToArray(r, a) : void 0; } }
function _arrayLikeToArray(r, a) { (null == a || a > r.length) && (a = r.length); for (var e = 0, n = Array(a); e < a; e++) n[e] = r[e]; return n; }
function _iterableToArrayLimit(r, l) { var t = null == r ? null : "undefined" != typeof Symbol && r[Symbol.iterator] || r["@@iterator"]; if (null != t) { var e, n, i, u, a = [], f = !0, o = !1; try { if (i = (t = t.call(r)).next, 0 === l) { if (Object(t) !== t) return; f = !1; } else for (; !(f = (e = i.call(t)).done) && (a.push(e.value), a.length !== l); f = !0); } catch (r) { o = !0, n = r; } finally { try { if (!f && null != t.return && (u = t.return(), Object(u) !== u)) return; } finally { if (o) throw n; } } return a; } }
function _arrayWithHoles(r) { if (Array.isArray(r)) return r; } // Components, with what they are made of.
var Crew = /*#__PURE__*/React.createContext({
  names: []
});
function useCrew(pick) {
  (0, _here.here)();
  var _React$useContext = React.useContext(Crew),
    names = _React$useContext.names;
  return React.useMemo(function () {
    (0, _here.here)();
    return pick(names);
  }, [names, pick]);
}
function Table(_ref) {
  var rows = _ref.rows,
    render = _ref.render,
    _ref$onPick = _ref.onPick,
    onPick = _ref$onPick === void 0 ? function () {
      (0, _here.here)();
    } : _ref$onPick;
  (0, _here.here)();
  var _React$useState = React.useState(function () {
      (0, _here.here)();
      return rows.length < 3;
    }),
    _React$useState2 = _slicedToArray(_React$useState, 1),
    state = _React$useState2[0];
  var pick = React.useCallback(function (row) {
    (0, _here.here)();
    onPick(row);
  }, [onPick]);
  rows.forEach(function (row) {
    return pick(row);
  });
  return /*#__PURE__*/(0, _jsxRuntime.jsx)("table", {
    "data-open": state,
    children: /*#__PURE__*/(0, _jsxRuntime.jsx)("tbody", {
      children: rows.map(function (row, i) {
        (0, _here.here)();
        return /*#__PURE__*/(0, _jsxRuntime.jsx)("tr", {
          onClick: function onClick() {
            (0, _here.here)(row);
          },
          children: render(row, i)
        }, row.id);
      })
    })
  });
}
var Badge = exports.Badge = function Badge(_ref2) {
  var n = _ref2.n;
  (0, _here.here)();
  return /*#__PURE__*/(0, _jsxRuntime.jsxs)("b", {
    children: [n > 1 ? "".concat(n, " crew") : 'alone', " isn't ", "it's", " < that"]
  });
};
var Memo = exports.Memo = /*#__PURE__*/React.memo(function Inner(_ref3) {
  var n = _ref3.n;
  (0, _here.here)();
  return /*#__PURE__*/(0, _jsxRuntime.jsx)(Badge, {
    n: n
  });
});
var Ref = exports.Ref = /*#__PURE__*/React.forwardRef(function (_ref4, ref) {
  var label = _ref4.label;
  (0, _here.here)();
  return /*#__PURE__*/(0, _jsxRuntime.jsx)("div", {
    ref: ref,
    children: label
  });
});
var Panel = exports.Panel = /*#__PURE__*/function (_React$Component) {
  function Panel() {
    var _this;
    _classCallCheck(this, Panel);
    for (var _len = arguments.length, args = new Array(_len), _key = 0; _key < _len; _key++) {
      args[_key] = arguments[_key];
    }
    _this = _callSuper(this, Panel, [].concat(args));
    _defineProperty(_this, "state", {
      n: 1
    });
    _defineProperty(_this, "turn", function (n) {
      (0, _here.here)();
      return n;
    });
    return _this;
  }
  _inherits(Panel, _React$Component);
  return _createClass(Panel, [{
    key: "twice",
    get: function get() {
      (0, _here.here)();
      return this.state.n * 2;
    }
  }, {
    key: "componentDidMount",
    value: function componentDidMount() {
      (0, _here.here)();
    }
  }, {
    key: "render",
    value: function render() {
      (0, _here.here)();
      return /*#__PURE__*/(0, _jsxRuntime.jsx)(_jsxRuntime.Fragment, {
        children: this.props.children(this.turn(this.twice))
      });
    }
  }]);
}(React.Component);
function App(_ref5) {
  var names = _ref5.names;
  (0, _here.here)();
  var count = useCrew(function (list) {
    (0, _here.here)();
    return list.length;
  });
  var rows = names.map(function (name, id) {
    (0, _here.here)();
    return {
      id: id,
      name: name
    };
  });
  return /*#__PURE__*/(0, _jsxRuntime.jsxs)(Crew.Provider, {
    value: {
      names: names
    },
    children: [/*#__PURE__*/(0, _jsxRuntime.jsx)(Table, {
      rows: rows,
      render: function render(row) {
        (0, _here.here)();
        return /*#__PURE__*/(0, _jsxRuntime.jsx)("i", {
          children: row.name
        });
      }
    }), /*#__PURE__*/(0, _jsxRuntime.jsx)(Memo, {
      n: count
    }), " ", /*#__PURE__*/(0, _jsxRuntime.jsx)(Ref, {
      label: "quay"
    }), " ", /*#__PURE__*/(0, _jsxRuntime.jsx)(Panel, {
      children: function children(n) {
        (0, _here.here)();
        return /*#__PURE__*/(0, _jsxRuntime.jsx)(Badge, {
          n: n
        });
      }
    }), count > 5 && /*#__PURE__*/(0, _jsxRuntime.jsx)("p", {
      children: function () {
        (0, _here.here)();
        return 'many';
      }()
    })]
  });
}
function everything() {
  (0, _server.renderToString)(/*#__PURE__*/(0, _jsxRuntime.jsx)(App, {
    names: ['Runa', 'Liv']
  }));
  var tree = Table({
    rows: [{
      id: 1,
      name: 'a'
    }],
    render: function render() {
      (0, _here.here)();
      return null;
    }
  });
  (0, _here.here)(tree);
}
function handlers() {
  var button = /*#__PURE__*/(0, _jsxRuntime.jsx)("button", {
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
