// Package review finds what is grouped badly: causes in pieces, issues that
// hold several causes, and noise; and writes a rule for each, ready to try.
//
// Input are issues with what their variants look like (package likeness);
// output are findings, the ones with most events first. Pure.
package review

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"firethorn/internal/core/likeness"
)

// Issue is one issue as the review sees it, its largest variants first.
type Issue struct {
	Number   int64
	Headline string
	Events   int64 // in the window
	Users    int64
	Merged   bool // people merged others into it: what differs in it was decided
	Variants []Variant
}

// Variant is one variant of an issue, or one of the traces that a variant has.
type Variant struct {
	likeness.Sketch
	Events     int64
	Ruled      bool              // a rule made its fingerprint: somebody decided it
	Part       bool              // it was split off by hand
	Attributes map[string]string // of an event of it, for what a rule may tell apart
}

// Kind is what is wrong.
type Kind string

// The kinds of finding.
const (
	Pieces Kind = "pieces" // one cause in several issues
	Mixed  Kind = "mixed"  // several causes in one issue
	Noise  Kind = "noise"  // many events that say nothing new
)

// Finding is something to mend, with a rule that may.
type Finding struct {
	Kind    Kind    `json:"kind" enum:"pieces,mixed,noise"`
	Words   string  `json:"words" doc:"what was found, in a sentence"`
	Why     string  `json:"why" doc:"what makes it look so"`
	Issues  []Named `json:"issues" nullable:"false" doc:"most events first"`
	More    int     `json:"more,omitempty" doc:"issues that are not listed"`
	Events  int64   `json:"events"`
	Users   int64   `json:"users" doc:"added up over the issues"`
	Section string  `json:"section" doc:"of the rules file, in which the suggestion stands; empty where it is another grouping version"`
	Rule    string  `json:"rule,omitempty" doc:"the suggested rule, YAML"`
	Does    string  `json:"does" doc:"what the suggestion does"`
	Version int     `json:"grouping_version,omitempty" doc:"the grouping version that would mend it"`
}

// Named is an issue in a finding.
type Named struct {
	Number   int64  `json:"number"`
	Headline string `json:"headline"`
	Events   int64  `json:"events"`
	Users    int64  `json:"users"`
}

// Review is what was found, and how variable grouping is.
type Review struct {
	Findings []Finding `json:"findings" nullable:"false" doc:"most events first, within pieces, mixed, noise"`
	Issues   int       `json:"issues" doc:"that were looked at"`
	Causes   int       `json:"causes" doc:"that they look like"`
	Mixed    int       `json:"mixed" doc:"issues that look like several causes"`
}

// Variability is the share of issues that look wrongly grouped, in percent:
// those beyond one a cause, and those that hold several.
func (r Review) Variability() float64 {
	if r.Issues == 0 {
		return 0
	}
	return 100 * float64(r.Issues-r.Causes+r.Mixed) / float64(r.Issues)
}

// CauseOf says which cause each issue looks like; issues of one cause share a
// number, and mixed says which look like several.
type CauseOf struct {
	Cause map[int64]int64
	Mixed map[int64]bool
}

// Telling are the attributes that name whom an application asks: events of one
// message are told apart by them.
var Telling = []string{"server.address", "peer.service", "rpc.service", "db.namespace", "messaging.destination.name"}

const (
	mostNamed   = 20
	alikeTrace  = 0.80 // of traces that look like one
	apartTrace  = 0.30 // of traces that look like different ones
	leastEvents = 2
	sameMessage = 3   // issues of one message form from which on it is one cause
	leastWords  = 3   // words of a message that says something
	noisyEvents = 200 // events in the window from which on an issue can be noise
	noisyRate   = 25  // events a user
)

// Find reviews issues. version is the project's grouping version, newest the
// newest there is.
func Find(issues []Issue, version, newest int) (Review, CauseOf) {
	f := &finder{issues: map[int64]Issue{}, cause: map[int64]int64{}, version: version, newest: newest}
	for _, is := range issues {
		f.issues[is.Number], f.cause[is.Number] = is, is.Number
	}
	f.pieces(issues)
	mixed := map[int64]bool{}
	for _, is := range issues {
		if x, ok := f.mixed(is); ok {
			mixed[is.Number] = true
			f.found = append(f.found, x)
		}
	}
	var total int64
	for _, is := range issues {
		total += is.Events
	}
	for _, is := range issues {
		if x, ok := noise(is, total); ok {
			f.found = append(f.found, x)
		}
	}
	order := map[Kind]int{Pieces: 0, Mixed: 1, Noise: 2}
	slices.SortStableFunc(f.found, func(a, b Finding) int {
		return cmp.Or(cmp.Compare(order[a.Kind], order[b.Kind]), cmp.Compare(b.Events, a.Events), cmp.Compare(a.Issues[0].Number, b.Issues[0].Number))
	})
	r := Review{Findings: f.found, Issues: len(issues), Mixed: len(mixed)}
	if r.Findings == nil {
		r.Findings = []Finding{}
	}
	out := CauseOf{map[int64]int64{}, mixed}
	causes := map[int64]bool{}
	for n := range f.cause {
		out.Cause[n] = f.root(n)
		causes[out.Cause[n]] = true
	}
	r.Causes = len(causes)
	return r, out
}

type finder struct {
	issues          map[int64]Issue
	cause           map[int64]int64 // issue → issue it is joined to
	found           []Finding
	version, newest int
}

func (f *finder) root(n int64) int64 {
	for f.cause[n] != n {
		n = f.cause[n]
	}
	return n
}

// join makes one cause of issues that are none yet, and says which those are.
func (f *finder) join(list []int64) (joined []int64) {
	roots := map[int64]bool{}
	for _, n := range list {
		roots[f.root(n)] = true
	}
	if len(roots) < 2 {
		return nil
	}
	first := slices.Min(slices.Collect(maps.Keys(roots)))
	for r := range roots {
		f.cause[r] = first
	}
	return list
}

// main is the variant that an issue is compared by: its largest that nobody
// decided about; ok is false where there is none.
func (is Issue) main() (v Variant, ok bool) {
	for _, v := range is.Variants {
		if !v.Ruled && !v.Part {
			return v, true
		}
	}
	return Variant{}, false
}

// mains are what issues are compared by.
func (f *finder) mains(list []int64) (out []Variant) {
	for _, n := range list {
		if v, ok := f.issues[n].main(); ok {
			out = append(out, v)
		}
	}
	return out
}

// group collects issues under what they have in common.
type group struct {
	key    string
	issues []int64
}

func (f *finder) groups(issues []Issue, key func(v Variant) string) []group {
	by := map[string][]int64{}
	for _, is := range issues {
		if v, ok := is.main(); ok {
			if k := key(v); k != "" {
				by[k] = append(by[k], is.Number)
			}
		}
	}
	var out []group
	for k, list := range by {
		if len(list) > 1 {
			slices.Sort(list)
			out = append(out, group{k, list})
		}
	}
	slices.SortFunc(out, func(a, b group) int { return cmp.Compare(a.key, b.key) })
	return out
}

// pieces finds issues that look like one cause: by their origin, their whole
// trace, or what they say.
func (f *finder) pieces(issues []Issue) {
	for _, g := range f.groups(issues, func(v Variant) string {
		if v.Origin == "" {
			return ""
		}
		return v.Type + "\x00" + v.Module + "\x00" + v.Origin
	}) {
		if list := f.join(g.issues); list != nil {
			f.sameOrigin(list)
		}
	}
	for _, g := range f.groups(issues, func(v Variant) string {
		if v.Origin == "" || len(v.Own) < 3 {
			return ""
		}
		return v.Type + "\x00" + v.Origin + "\x00" + v.Own[1]
	}) {
		if list := f.join(f.alike(g.issues)); list != nil {
			f.moved(list)
		}
	}
	for _, g := range f.groups(issues, func(v Variant) string {
		if len(v.Words()) < leastWords {
			return ""
		}
		return v.Type + "\x00" + v.Message
	}) {
		first, _ := f.issues[g.issues[0]].main()
		least := sameMessage
		if len(first.Own)+len(first.Vendor) == 0 {
			least = 2 // without traces there is nothing else
		}
		if len(g.issues) < least {
			continue
		}
		if list := f.join(g.issues); list != nil {
			f.sameMessage(list)
		}
	}
}

// alike leaves those of issues whose traces are like that of the first, save
// for the file that the function is in.
func (f *finder) alike(list []int64) (out []int64) {
	first, _ := f.issues[list[0]].main()
	for _, n := range list {
		v, _ := f.issues[n].main()
		a, b := first.Sketch, v.Sketch
		a.Own, b.Own = a.Own[1:], b.Own[1:]
		if likeness.Compare(a, b).Trace >= alikeTrace {
			out = append(out, n)
		}
	}
	return out
}

func (f *finder) finding(kind Kind, list []int64) (x Finding, first Variant) {
	x = Finding{Kind: kind, Issues: []Named{}}
	for _, n := range list {
		is := f.issues[n]
		x.Events, x.Users = x.Events+is.Events, x.Users+is.Users
		x.Issues = append(x.Issues, Named{is.Number, is.Headline, is.Events, is.Users})
	}
	slices.SortFunc(x.Issues, func(a, b Named) int {
		return cmp.Or(cmp.Compare(b.Events, a.Events), cmp.Compare(a.Number, b.Number))
	})
	first, _ = f.issues[x.Issues[0].Number].main()
	if n := len(x.Issues); n > mostNamed {
		x.More, x.Issues = n-mostNamed, x.Issues[:mostNamed]
	}
	return x, first
}

func (f *finder) sameOrigin(list []int64) {
	x, v := f.finding(Pieces, list)
	x.Words = fmt.Sprintf("%s in %s is in %d issues", cmp.Or(v.Type, "An error"), v.Origin, len(list))
	all := f.mains(list)
	r := rule{name: "one: " + v.Type + " in " + v.Origin, when: whenOrigin(all)}
	if slices.ContainsFunc(all, func(v Variant) bool { return len(v.Said) > 0 }) {
		x.Why = "one function of one file is blamed in all of them; the application's own key tells them apart"
		x.Does = "leaves out what the application adds, so that the computed fingerprint counts"
		r.replace = []string{"${computed}"}
	} else {
		x.Why = "one function of one file is blamed in all of them"
		x.Does = "groups by type, file and function alone"
		r.replace = key(v.Type, v.Module, v.Origin)
	}
	x.Section, x.Rule = "grouping", r.yaml()
	f.found = append(f.found, x)
}

func (f *finder) moved(list []int64) {
	x, v := f.finding(Pieces, list)
	x.Words = fmt.Sprintf("%s in %s is in %d issues, from several files", cmp.Or(v.Type, "An error"), v.Origin, len(list))
	x.Why = "functions of one name fail, and the rest of the stack is nearly the same: the function was moved, or its file is served under several names"
	x.Does = "groups by type and function, wherever the function is"
	all := f.mains(list)
	x.Section = "grouping"
	x.Rule = rule{name: "one: " + v.Type + " in " + v.Origin, when: and(ofType(all), oneOf("origin.function", functions(all))), replace: key(v.Type, v.Origin)}.yaml()
	f.found = append(f.found, x)
}

func (f *finder) sameMessage(list []int64) {
	x, v := f.finding(Pieces, list)
	x.Words = fmt.Sprintf("“%s” is said in %d issues", v.Message, len(list))
	x.Why = "all of them say the same, numbers, names and codes left out"
	if len(v.Own)+len(v.Vendor) == 0 && f.version < f.newest && strings.Contains(v.Message, "<code>") {
		x.Does = fmt.Sprintf("grouping version %d takes codes out of messages", f.newest)
		x.Version = f.newest
		f.found = append(f.found, x)
		return
	}
	r := rule{name: "said: " + v.Message, when: and(ofType(f.mains(list)), says(v.Message)), replace: []string{plainText(v.Message)}, headline: plainText(v.Message)}
	x.Does = "groups by what is said"
	if name := f.upstream(list); name != "" {
		r.replace = []string{plainText(v.Message), "${" + name + "}"}
		x.Does = "groups by what is said, and by " + name
	}
	x.Section, x.Rule = "grouping", r.yaml()
	f.found = append(f.found, x)
}

// upstream is the attribute that names whom all of the issues ask.
func (f *finder) upstream(list []int64) string {
	all := f.mains(list)
	for _, name := range Telling {
		if !slices.ContainsFunc(all, func(v Variant) bool { return v.Attributes[name] == "" }) {
			return name
		}
	}
	return ""
}

// mixed says whether an issue looks like several causes: traces of it are far
// apart, though nobody put them together by hand or by a rule.
func (f *finder) mixed(is Issue) (Finding, bool) {
	if is.Merged || len(is.Variants) < 2 {
		return Finding{}, false
	}
	var kinds []Variant // one of each kind that is far from the others
	for _, v := range is.Variants {
		if v.Ruled || v.Part || v.Events < leastEvents || len(v.Own)+len(v.Vendor) == 0 {
			continue
		}
		if !slices.ContainsFunc(kinds, func(k Variant) bool { return far(k, v) < 0 || k.Itself && k.Place() == v.Place() }) {
			kinds = append(kinds, v)
		}
	}
	if len(kinds) < 2 {
		return Finding{}, false
	}
	x, _ := f.finding(Mixed, []int64{is.Number})
	first := kinds[0]
	x.Words = fmt.Sprintf("“%s” looks like %d causes", is.Headline, len(kinds))
	x.Section = "grouping"
	switch {
	case first.Instead:
		x.Why = fmt.Sprintf("its traces have little in common (%s …); the application's own key stands instead of the fingerprint", places(kinds))
		x.Does = "puts the computed fingerprint in the place of the application's key"
		x.Rule = rule{name: "apart: " + strings.Join(first.Said, " "), when: said(first.Said), replace: []string{"${computed}"}}.yaml()
	case first.Origin != "" && first.Place() == kinds[1].Place():
		x.Why = fmt.Sprintf("%s is blamed in all of it, and callers with nothing in common lead there", first.Origin)
		x.Does = fmt.Sprintf("looks through %s, so that who called it is blamed", first.Origin)
		x.Section = "frames"
		x.Rule = fmt.Sprintf("- name: %s\n  module: %s\n  function: [%s]\n  do: look-through\n", quote(short("through "+first.Origin)), quote(first.Module), strings.Join(quotedAll(functions(kinds)), ", "))
	default:
		x.Why = fmt.Sprintf("its traces have little in common (%s …)", places(kinds))
		x.Does = "tells apart by the function that is blamed"
		x.Rule = rule{name: "apart: " + is.Headline, when: and(ofType(kinds), says(first.Message)), extend: []string{"${origin.module}", "${origin.function}"}}.yaml()
	}
	return x, true
}

// far is below 0 where two variants look like one cause. What both blame is left
// out where it is the same: who called it tells.
func far(a, b Variant) float64 {
	x, y := a.Sketch, b.Sketch
	if p := x.Place(); p != "" && p == y.Place() && len(x.Own) > 1 && len(y.Own) > 1 {
		if x.Own[0] == y.Own[0] {
			x.Own, y.Own = x.Own[1:], y.Own[1:]
		}
	}
	return apartTrace - likeness.Compare(x, y).Trace
}

func places(list []Variant) string {
	var out []string
	for _, v := range list[:min(len(list), 3)] {
		out = append(out, cmp.Or(v.Origin, v.Type))
	}
	return strings.Join(out, ", ")
}

// noise says whether an issue is mostly repetition.
func noise(is Issue, total int64) (Finding, bool) {
	v, ok := is.main()
	if !ok || is.Events < noisyEvents || is.Events < noisyRate*max(is.Users, 1) {
		return Finding{}, false
	}
	share := 100 * float64(is.Events) / float64(max(total, 1))
	who := fmt.Sprintf("%d users", is.Users)
	switch is.Users {
	case 0:
		who = "nobody who is known"
	case 1:
		who = "one user"
	}
	x := Finding{
		Kind: Noise, Words: fmt.Sprintf("“%s” makes %.0f %% of all events, for %s", is.Headline, share, who), Why: fmt.Sprintf("%d events of %s in the window: a loop that fails again and again", is.Events, who),
		Issues: []Named{{is.Number, is.Headline, is.Events, is.Users}}, Events: is.Events, Users: is.Users, Section: "intake",
		Does: "drops what comes from now on, counted under the rule; the issue and what is stored stay. Mend the loop first, if you can",
	}
	when := whenOrigin([]Variant{v})
	if v.Origin == "" {
		when = and(ofType([]Variant{v}), says(v.Message))
	}
	x.Rule = fmt.Sprintf("- name: %s\n  when: %s\n  do: drop\n", quote(short("noise: "+is.Headline)), quote(when))
	return x, true
}
