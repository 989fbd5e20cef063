package rules

import (
	"errors"
	"fmt"
	"reflect"
	"regexp"
	"slices"
	"strings"
	"sync"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/cost"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/ext"
	"cel.dev/cel-go/interpreter"
	"go.yaml.in/yaml/v4"

	"firethorn/internal/core/blame"
	"firethorn/internal/core/text"
)

// What conditions may cost, in the language's own units: a look at a field is
// one, a search in a text one for every ten characters.
const (
	RuleBudget  = 5_000  // one condition for one event
	EventBudget = 20_000 // all conditions for one event
)

// Each section has its own part of an event's budget. What one section spends
// may not change what another decides: grouping is asked again when stored
// events are regrouped, and intake and assign rules are not.
const (
	intakeBudget   = EventBudget * 2 / 5
	groupingBudget = EventBudget * 2 / 5
	assignBudget   = EventBudget - intakeBudget - groupingBudget
)

// condition is a compiled condition. It is safe for concurrent use.
type condition struct{ program cel.Program }

// holds answers the condition and says what that cost.
func (c *condition) holds(f *Facts) (yes bool, spent uint64, err error) {
	v, details, err := c.program.Eval(f)
	if details != nil {
		if n := details.ActualCost(); n != nil {
			spent = *n
		}
	}
	if err != nil {
		return false, spent, err
	}
	b, ok := v.(types.Bool)
	if !ok {
		return false, spent, fmt.Errorf("the condition gave %s and not true or false", v.Type().TypeName())
	}
	return bool(b), spent, nil
}

// troubleOf says what went wrong with a rule's condition.
func troubleOf(section, rule string, err error) Trouble {
	if c, ok := errors.AsType[interpreter.EvalCancelledError](err); ok && c.Cause == interpreter.CostLimitExceeded {
		return Trouble{Section: section, Rule: rule, TooCostly: true,
			Why: fmt.Sprintf("it cost more than the %d units that one condition may", RuleBudget)}
	}
	return Trouble{Section: section, Rule: rule, Why: err.Error()}
}

// Word is something that conditions can use.
type Word struct {
	Name string `json:"name" doc:"as it is written"`
	Doc  string `json:"doc"`
}

// calls are the functions a condition can use, as they are written.
var calls = []Word{
	{`attr("NAME")`, "an attribute as text, of the event before its resource; \"\" where it is absent"},
	{`number("NAME")`, "an attribute as a number; where it is none, every comparison is false"},
	{`has_attr("NAME")`, "whether the attribute is there"},
	{`crawler(TEXT)`, "whether a user agent is that of a program that reads pages for others"},
	{`extension(TEXT)`, "whether a file belongs to a browser's extension"},
	{`TEXT.glob("…")`, "fits a glob: * any characters, ? one"},
	{`TEXT.matches("…")`, "holds what fits a regular expression (RE2)"},
	{`TEXT.contains("…")`, "holds a text; also startsWith, endsWith"},
	{`TEXT.lower()`, "in small letters"},
	{`TEXT.shape()`, "a message with its variable parts taken out: no tide table for day <number>"},
	{`TEXT.before("VERSION")`, "a release is before a version"},
	{`LIST.exists(x, …)`, "whether it holds for one of a list; also all, exists_one, filter, map, size()"},
}

// functions are the names that can be called, for nearest words.
var functions = []string{"attr", "number", "has_attr", "glob", "lower", "shape", "before", "crawler", "extension",
	"contains", "startsWith", "endsWith", "matches", "size", "exists", "all", "exists_one", "filter", "map", "int",
	"double", "string", "timestamp", "duration"}

// Words lists everything that conditions can use: names, then functions.
func Words() []Word {
	var out []Word
	for _, v := range variables {
		out = append(out, Word{v.name, v.doc})
	}
	return append(append(out, calls...), alertWords...)
}

// language is CEL with the names of events. It never changes.
var language = sync.OnceValue(func() *cel.Env { return newLanguage() })

// newLanguage makes the language, with more names where a section has its own.
func newLanguage(more ...cel.EnvOption) *cel.Env {
	ofText := func(name string, fn func(string) bool) cel.EnvOption {
		return cel.Function(name,
			cel.Overload(name+"_string", []*cel.Type{cel.StringType}, cel.BoolType,
				cel.UnaryBinding(func(v ref.Val) ref.Val {
					return types.Bool(fn(string(v.(types.String))))
				})))
	}
	ofTwo := func(name string, fn func(a, b string) bool) cel.EnvOption {
		return cel.Function(name,
			cel.MemberOverload("string_"+name, []*cel.Type{cel.StringType, cel.StringType}, cel.BoolType,
				cel.BinaryBinding(func(a, b ref.Val) ref.Val {
					return types.Bool(fn(string(a.(types.String)), string(b.(types.String))))
				})))
	}
	ofAttr := func(name string, result *cel.Type, fn func(*Facts, string) ref.Val) cel.EnvOption {
		return cel.Function(name,
			cel.MemberOverload("facts_"+name, []*cel.Type{factsType, cel.StringType}, result,
				cel.BinaryBinding(func(f, n ref.Val) ref.Val {
					return fn(f.(*Facts), string(n.(types.String)))
				})))
	}
	opts := []cel.EnvOption{
		ext.NativeTypes(ext.ParseStructTags(true), reflect.TypeFor[Exception](), reflect.TypeFor[Frame](),
			reflect.TypeFor[Breadcrumb](), reflect.TypeFor[IssueFacts]()),
		cel.Variable(factsName, factsType),
		ofText("crawler", crawler), ofText("extension", extension),
		ofTwo("glob", func(s, pattern string) bool { return text.Glob(pattern, s) }), ofTwo("before", before),
		cel.Function("lower",
			cel.MemberOverload("string_lower", []*cel.Type{cel.StringType}, cel.StringType,
				cel.UnaryBinding(func(v ref.Val) ref.Val {
					return types.String(strings.ToLower(string(v.(types.String))))
				}))),
		cel.Function("shape",
			cel.MemberOverload("string_shape", []*cel.Type{cel.StringType}, cel.StringType,
				cel.UnaryBinding(func(v ref.Val) ref.Val {
					shape, _ := blame.PlainCodes(string(v.(types.String)))
					return types.String(shape)
				}))),
		ofAttr("attr", cel.StringType, func(f *Facts, n string) ref.Val { return types.String(f.attr(n)) }),
		ofAttr("number", cel.DoubleType, func(f *Facts, n string) ref.Val { return types.Double(f.number(n)) }),
		ofAttr("has_attr", cel.BoolType, func(f *Facts, n string) ref.Val { return types.Bool(f.hasAttr(n)) }),
	}
	for _, name := range []string{"attr", "number", "has_attr"} { // they ask the event, which conditions need not name
		opts = append(opts, cel.Macros(cel.GlobalMacro(name, 1,
			func(mef cel.MacroExprFactory, _ ast.Expr, args []ast.Expr) (ast.Expr, *cel.Error) {
				return mef.NewMemberCall(name, mef.NewIdent(factsName), args...), nil
			})))
	}
	for _, v := range variables {
		opts = append(opts, cel.Variable(v.name, v.kind))
	}
	env, err := cel.NewEnv(append(opts, more...)...)
	if err != nil {
		panic(err) // the names above do not fit each other
	}
	return env
}

// textCost is what looking through a text costs.
func textCost(args []ref.Val, _ ref.Val) *uint64 {
	n := uint64(1)
	for _, a := range args {
		if s, ok := a.(types.String); ok {
			n += uint64(len(s)) / 10
		}
	}
	return &n
}

// condition compiles the condition of a rule.
func (r *reader) condition(n *yaml.Node) *condition {
	c, _ := r.conditionIn(language(), n)
	return c
}

// conditionIn compiles a condition in the language of a section, and gives its tree.
func (r *reader) conditionIn(env *cel.Env, n *yaml.Node) (*condition, *ast.AST) {
	text := r.scalar(n, "when", maxText)
	if text == "" {
		return nil, nil
	}
	checked, issues := env.Compile(text)
	if issues != nil && issues.Err() != nil {
		for _, e := range issues.Errors() {
			r.expressionError(n, text, 0, text, e)
		}
		return nil, nil
	}
	if t := checked.OutputType(); t != cel.BoolType {
		r.at(n, "the condition gives %s; it must be true or false", t)
		return nil, nil
	}
	if !r.patternsAt(n, text, 0, checked.NativeRep()) {
		return nil, nil
	}
	p, err := program(env, checked)
	if err != nil {
		r.at(n, "the condition cannot be used: %v", err)
		return nil, nil
	}
	return &condition{p}, checked.NativeRep()
}

// program makes a checked expression ready to run, bounded in what it may cost.
func program(env *cel.Env, checked *cel.Ast) (cel.Program, error) {
	return env.Program(checked, cel.EvalOptions(cel.OptOptimize), cel.CostLimit(RuleBudget), cel.CostTrackerOptions(
		cost.OverloadTracker("string_glob", textCost), cost.OverloadTracker("string_lower", textCost),
		cost.OverloadTracker("string_shape", shapeCost), cost.OverloadTracker("crawler_string", textCost),
		cost.OverloadTracker("extension_string", textCost), cost.OverloadTracker("facts_fits", searchCost)))
}

// searchCost is what a search costs: its words may be looked for in the whole event.
func searchCost([]ref.Val, ref.Val) *uint64 {
	n := uint64(200)
	return &n
}

// shapeCost is what taking the variable parts out of a text costs: ten patterns
// are looked for.
func shapeCost(args []ref.Val, v ref.Val) *uint64 {
	n := 10 * *textCost(args, v)
	return &n
}

// placeIn converts a place of an expression to a place of the file, whose text
// begins at byte off of a scalar's text.
func (r *reader) placeIn(n *yaml.Node, text string, off, line, column int) (int, int) {
	before := text[:off]
	first := strings.Count(before, "\n")
	if line == 0 {
		column += len([]rune(before[strings.LastIndexByte(before, '\n')+1:]))
	}
	return r.place(n, first+line, column)
}

var (
	undeclared = regexp.MustCompile(`undeclared reference to '([^']*)'`)
	noField    = regexp.MustCompile(`undefined field '([^']*)'`)
	noOverload = regexp.MustCompile(`found no matching overload for '([^']*)' applied to '(.*)'`)
)

// expressionError reports what the language says of an expression, which begins
// at byte at of a scalar's text, with the nearest right word.
func (r *reader) expressionError(n *yaml.Node, whole string, at int, expression string,
	e *common.Error) {
	message, suggestion := e.Message, ""
	inLine, off := max(e.Location.Line()-1, 0), max(e.Location.Column(), 0)
	// Of a function the language gives the place of its bracket.
	if m := undeclared.FindStringSubmatch(message); m != nil {
		if lines := strings.Split(expression, "\n"); inLine < len(lines) {
			if l := []rune(lines[inLine]); off < len(l) && l[off] == '(' && strings.HasSuffix(string(l[:off]), m[1]) {
				off -= len([]rune(m[1]))
			}
		}
	}
	line, column := r.placeIn(n, whole, at, inLine, off)
	switch {
	case undeclared.MatchString(message):
		word := undeclared.FindStringSubmatch(message)[1]
		names := slices.Clone(functions)
		for _, v := range variables {
			names = append(names, v.name)
		}
		if r.section == "alerts" {
			names = append(names, "became", "issue", "in_newest_release", "symbols")
		}
		suggestion = text.Nearest(word, names)
		message = fmt.Sprintf("there is no %s", word)
		if strings.Contains(word, ".") || suggestion == "" && strings.Contains(expression, word+".") {
			message += "; an attribute is attr(\"" + word + "…\")"
		}
	case noField.MatchString(message):
		word := noField.FindStringSubmatch(message)[1]
		suggestion = text.Nearest(word,
			[]string{"type", "message", "thrown", "function", "module", "path", "file", "line", "kind", "severity"})
		message = fmt.Sprintf("there is no field %s here", word)
	case noOverload.MatchString(message):
		m := noOverload.FindStringSubmatch(message)
		message = fmt.Sprintf("%s does not work on %s", operator(m[1]), strings.Trim(m[2], "()"))
	default:
		message = strings.TrimSuffix(strings.ReplaceAll(message, "<EOF>", "the end"), " in container ''")
	}
	r.problem(line, column, suggestion, "%s", message)
}

// operator writes the language's inner names as one writes them.
func operator(name string) string {
	name = strings.Trim(name, "_@")
	if name == "!" || name == "in" || name == "-" {
		return name
	}
	return strings.Trim(name, "_")
}

// patternsAt makes sure that regular expressions and globs of an expression are
// constant, short and good, so that nothing an event says decides what is compiled.
func (r *reader) patternsAt(n *yaml.Node, whole string, start int, tree *ast.AST) bool {
	good := true
	ast.PreOrderVisit(tree.Expr(), ast.NewExprVisitor(func(e ast.Expr) {
		if e.Kind() != ast.CallKind {
			return
		}
		call := e.AsCall()
		name := call.FunctionName()
		if name != "matches" && name != "glob" || len(call.Args()) == 0 {
			return
		}
		arg := call.Args()[len(call.Args())-1]
		at := tree.SourceInfo().GetStartLocation(arg.ID())
		line, off := max(at.Line()-1, 0), max(at.Column(), 0)
		l, c := r.placeIn(n, whole, start, line, off)
		text, ok := "", false
		if arg.Kind() == ast.LiteralKind {
			text, ok = arg.AsLiteral().Value().(string)
		}
		switch {
		case !ok:
			r.problem(l, c, "", "the pattern of %s must be a text in quotes, written in the rule itself", name)
			good = false
		case len(text) > maxPattern:
			r.problem(l, c, "", "the pattern has %d bytes; %d are the most", len(text), maxPattern)
			good = false
		case name == "matches":
			if _, err := regexp.Compile(text); err != nil {
				r.problem(l, c, "", "the pattern cannot be read: %s",
					strings.TrimPrefix(err.Error(), "error parsing regexp: "))
				good = false
			}
		}
	}))
	return good
}
