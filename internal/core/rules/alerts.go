package rules

import (
	"maps"
	"slices"
	"strings"
	"sync"
	"time"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"go.yaml.in/yaml/v4"

	"firethorn/internal/core/query"
	"firethorn/internal/core/text"
)

// AlertRule says when messages are sent, and who gets them.
type AlertRule struct {
	Name     string
	To       []string // names of destinations, or owner, watchers, members, team:NAME
	Users    int64    // from so many users within Within on; 0: no such threshold
	Events   int64
	Sessions float64       // percent of the sessions that began within Within
	Within   time.Duration // of the thresholds
	Again    time.Duration // earliest repetition for one issue; 0: once until it is fixed or dismissed
	Quiet    *Quiet
	AtMost   *AtMost
	Becomes  []string // what the condition asks an issue to have become; empty: nothing
	Worse    []string // environments in which the newest release is asked to be worse
	Missing  bool     // unreadable traces of a release are asked for
	Live     bool     // the condition depends on the issue, and not on the event alone
	Text     string   // the condition as it is written
	Line     int      // of the rule in the file
	when     *condition
}

// Threshold says whether the rule counts events, users or sessions.
func (r *AlertRule) Threshold() bool { return r.Users > 0 || r.Events > 0 || r.Sessions > 0 }

// Becoming says whether the rule asks an issue to have become something.
func (r *AlertRule) Becoming(what string) bool { return slices.Contains(r.Becomes, what) }

// Quiet is a time of each day in which messages are held.
type Quiet struct {
	From, To int // minutes since midnight in Zone; From may be later than To
	Zone     *time.Location
}

// AtMost bounds the messages of a rule to one destination.
type AtMost struct {
	Messages int
	Within   time.Duration
}

// What an issue can become, in the order in which the documentation lists it.
var Becomings = []string{"new", "regressed", "woken", "surging", "fixed", "holding", "assigned", "commented"}

// Reserved are the words of `to` that represent people.
var Reserved = []string{"owner", "watchers", "members"}

// Defaults are the alert rules of a project whose rules file has no section alerts.
var Defaults = sync.OnceValue(func() []*AlertRule {
	set, faults := Read(
		"alerts:\n  - name: new, back or surging\n    when: became(\"new\") || became(\"regressed\") || became(\"surging\")\n    to: [members]\n",
	)
	if len(faults) > 0 {
		panic(faults[0].String()) // the text above is wrong
	}
	return set.Alerts
})

// AlertRules are the alert rules that act; without a section alerts these are Defaults.
func (s *Set) AlertRules() []*AlertRule {
	if s == nil || !s.HasAlerts {
		return Defaults()
	}
	return s.Alerts
}

// alerts reads the section alerts.
func (r *reader) alerts(list *yaml.Node) (out []*AlertRule) {
	for n, f := range r.rules(list, []string{"name", "when", "to", "users", "events", "sessions", "within", "again",
		"quiet", "at-most"}) {
		rule := &AlertRule{Name: r.rule, Line: n.Line}
		if f["to"] == nil {
			r.at(n, "the rule needs the field to: names of destinations, or owner, watchers, members, team:NAME")
		} else {
			for _, t := range r.list(f["to"], "to", maxName*2) {
				rule.To = append(rule.To, strings.TrimSpace(t.Value))
			}
		}
		rule.Users, rule.Events = r.number(f["users"], "users"), r.number(f["events"], "events")
		rule.Sessions = r.percent(f["sessions"])
		r.alertTimes(rule, f)
		r.alertCondition(rule, n, f["when"])
		out = append(out, rule)
	}
	return out
}

// alertTimes reads within, again, quiet and at-most.
func (r *reader) alertTimes(rule *AlertRule, f map[string]*yaml.Node) {
	rule.Within = time.Hour
	if w := f["within"]; w != nil {
		rule.Within = r.span(w, "within", 10*time.Minute, 14*24*time.Hour)
		if !rule.Threshold() {
			r.at(w, "within is about users, events or sessions: say how many")
		}
	}
	if a := f["again"]; a != nil {
		rule.Again = r.span(a, "again", 10*time.Minute, 365*24*time.Hour)
	}
	if q := f["quiet"]; q != nil {
		rule.Quiet = r.quiet(q)
	}
	if m := f["at-most"]; m != nil {
		rule.AtMost = r.atMost(m)
	}
}

// alertCondition reads the condition of an alert rule and finds out what it asks for.
func (r *reader) alertCondition(rule *AlertRule, n, when *yaml.Node) {
	if when == nil {
		r.at(n, `the rule needs the field when: a condition in CEL, for example when: became("new")`)
		return
	}
	var tree *ast.AST
	rule.Text = when.Value
	rule.when, tree = r.conditionIn(alertLanguage(), when)
	if rule.when == nil {
		return
	}
	r.asked(rule, when, tree.Expr(), true)
	if r.searches(when, tree) && len(rule.Becomes) == 0 && !rule.Threshold() && len(rule.Worse) == 0 &&
		!rule.Missing {
		r.at(
			when,
			`the rule would fire for every event: ask with became("new") what an issue becomes, or give a threshold: users, events or sessions`,
		)
	}
	if len(rule.Becomes) > 0 && rule.Threshold() {
		r.at(when, "became(%q) never holds while a threshold counts events: write two rules", rule.Becomes[0])
	}
	if len(rule.Worse) > 0 || rule.Missing {
		if len(rule.Becomes) > 0 || rule.Threshold() {
			r.at(when, "release.worse and symbols.missing are about no issue: they need rules of their own")
		}
	}
}

// asked notes what an expression asks for. positive is false below an odd number of
// negations: what must not have become can make no rule fire.
func (r *reader) asked(rule *AlertRule, n *yaml.Node, e ast.Expr, positive bool) {
	switch e.Kind() {
	case ast.IdentKind:
		rule.Live = rule.Live || slices.Contains([]string{"issue", "in_newest_release"}, e.AsIdent())
		rule.Missing = rule.Missing || e.AsIdent() == "symbols"
	case ast.SelectKind:
		r.asked(rule, n, e.AsSelect().Operand(), positive)
	case ast.ListKind:
		for _, x := range e.AsList().Elements() {
			r.asked(rule, n, x, positive)
		}
	case ast.ComprehensionKind:
		c := e.AsComprehension()
		for _, x := range []ast.Expr{c.IterRange(), c.LoopCondition(), c.LoopStep(), c.Result()} {
			r.asked(rule, n, x, positive)
		}
	case ast.CallKind:
		r.askedBy(rule, n, e, positive)
	}
}

func (r *reader) askedBy(rule *AlertRule, n *yaml.Node, e ast.Expr, positive bool) {
	call := e.AsCall()
	switch name := call.FunctionName(); name {
	case "became", "worse", "fits":
		rule.Live = true
		asked, isText := "", false
		if call.Args()[0].Kind() == ast.LiteralKind {
			asked, isText = call.Args()[0].AsLiteral().Value().(string)
		}
		switch {
		case !isText:
			r.at(n, "%s needs a text in quotes, written in the rule itself", name)
		case name == "became" && !slices.Contains(Becomings, asked):
			r.problem(
				n.Line,
				n.Column,
				text.Nearest(asked, Becomings),
				"an issue cannot become %s; there are %s",
				short(asked),
				strings.Join(Becomings, ", "),
			)
		case name == "became" && positive && !slices.Contains(rule.Becomes, asked):
			rule.Becomes = append(rule.Becomes, asked)
		case name == "worse" && positive:
			rule.Worse = append(rule.Worse, asked)
		}
		return
	case "!_":
		positive = !positive
	}
	if call.IsMemberFunction() {
		r.asked(rule, n, call.Target(), positive)
	}
	for _, x := range call.Args() {
		r.asked(rule, n, x, positive)
	}
}

// searches checks the searches of an expression: matches(SEARCH).
func (r *reader) searches(n *yaml.Node, tree *ast.AST) bool {
	good := true
	ast.PreOrderVisit(tree.Expr(), ast.NewExprVisitor(func(e ast.Expr) {
		if e.Kind() != ast.CallKind || e.AsCall().FunctionName() != "fits" ||
			e.AsCall().Args()[0].Kind() != ast.LiteralKind {
			return
		}
		search, _ := e.AsCall().Args()[0].AsLiteral().Value().(string)
		parsed, err := query.Parse(search)
		if err != nil {
			r.at(n, "the search %s: %v", short(search), err)
			good = false
			return
		}
		for _, name := range query.Names(parsed) {
			if f, ok := query.FieldOf(name); ok && !slices.Contains(matchable, f.Name) {
				r.at(
					n,
					"the search %s: %s cannot be asked of one event; matches knows %s, and attributes",
					short(search),
					name,
					strings.Join(matchable, ", "),
				)
				good = false
			}
		}
		for _, e := range query.Check(parsed, nil) {
			r.at(n, "the search %s: %s", short(search), e.Message)
			good = false
		}
	}))
	return good
}

// matchable are the fields that a search in a rule can ask for.
var matchable = []string{"state", "owner", "severity", "handled", "events", "users", "impact", "release",
	"environment", "place", "file", "function", "type", "headline", "message", "session", "trace", "user", "saved"}

// IssueFacts are an issue as alert conditions see it.
type IssueFacts struct {
	State        string  `cel:"state"`
	Owner        string  `cel:"owner"`
	Users        int64   `cel:"users"`
	Events       int64   `cel:"events"`
	Impact       float64 `cel:"impact"`
	FirstRelease string  `cel:"first_release"`
}

// Occasion is when an alert rule is asked.
type Occasion struct {
	Became string // what the issue just became; "": it got events
	Newest bool   // the event is of the newest release
	Issue  IssueFacts
	Worse  string // the environment in which the newest release is worse; "": none
	Gaps   bool   // traces of a release cannot be read because symbols are missing
	// Matches says whether the event fits a search.
	Matches func(search string) bool
}

// On gives the facts of an event on an occasion.
func (f *Facts) On(o Occasion) *Facts {
	out := *f
	out.known = maps.Clone(f.known)
	for _, name := range []string{"issue", "in_newest_release", "symbols"} {
		delete(out.known, name)
	}
	out.occasion = o
	return &out
}

// alertBudget is what all alert rules may cost for one event.
const alertBudget = EventBudget

// Alerts gives those of some rules whose condition holds for an event.
func Alerts(list []*AlertRule, f *Facts, off func(rule string) bool) (hold []*AlertRule, trouble []Trouble) {
	left := uint64(alertBudget)
	for _, r := range list {
		if off != nil && off(r.Name) {
			continue
		}
		yes, cost, err := r.when.holds(f)
		if err != nil {
			trouble = append(trouble, troubleOf("alerts", r.Name, err))
		}
		if yes {
			hold = append(hold, r)
		}
		if cost >= left {
			return hold, append(trouble, Trouble{Section: "alerts", Rule: r.Name, TooCostly: true,
				Why: "all alert rules together cost more than one event may; those below were not asked"})
		}
		left -= cost
	}
	return hold, trouble
}

// alertWords are what alert conditions can use beside what all conditions can.
var alertWords = []Word{
	{
		`became("WHAT")`,
		"in alerts: the issue just became new, regressed, woken, surging, fixed, holding, assigned or commented",
	},
	{`in_newest_release`, "in alerts: the event is of the newest release"},
	{`issue`, "in alerts: state, owner, users, events, impact, first_release"},
	{`matches("SEARCH")`, "in alerts: the event fits a search, also \"saved:NAME\" of a shared one"},
	{`release.worse("ENVIRONMENT")`, "in alerts: the newest release is worse than the one before, there"},
	{`symbols.missing`, "in alerts: traces of a release cannot be read because symbols are missing"},
}

// alertLanguage is CEL with the names of alert conditions beside those of events.
var alertLanguage = sync.OnceValue(func() *cel.Env { return newLanguage(alertOptions()...) })
