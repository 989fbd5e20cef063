// Package review finds badly grouped issues: one cause in several issues, several causes in one issue,
// and noise. It suggests a rule for each.
//
// Input are issues with what their variants look like (package likeness);
// output are findings, the ones with most events first. Pure.
package review

import (
	"cmp"
	"maps"
	"slices"

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
	Attributes map[string]string // of an event of it, for what a rule may distinguish
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
	Kind    Kind    `json:"kind"                       enum:"pieces,mixed,noise"`
	Text    string  `json:"words"                                                doc:"the finding, as a sentence"`
	Why     string  `json:"why"                                                  doc:"the evidence"`
	Issues  []Named `json:"issues"                                               doc:"most events first"                                                                             nullable:"false"`
	More    int     `json:"more,omitempty"                                       doc:"issues that are not listed"`
	Events  int64   `json:"events"`
	Users   int64   `json:"users"                                                doc:"added up over the issues"`
	Section string  `json:"section"                                              doc:"of the rules file, for the suggestion; empty where it suggests another grouping version"`
	Rule    string  `json:"rule,omitempty"                                       doc:"the suggested rule, YAML"`
	Does    string  `json:"does"                                                 doc:"what the suggestion does"`
	Version int     `json:"grouping_version,omitempty"                           doc:"the grouping version that would fix it"`
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
	Issues   int       `json:"issues"                    doc:"that were checked"`
	Causes   int       `json:"causes"                    doc:"the causes that they look like"`
	Mixed    int       `json:"mixed"                     doc:"issues that look like several causes"`
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

// TargetAttributes are the attributes that name the service an application calls: events of one
// message are distinguished by them.
var TargetAttributes = []string{
	"server.address",
	"peer.service",
	"rpc.service",
	"db.namespace",
	"messaging.destination.name",
}

const (
	maxNamed    = 20
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
		return cmp.Or(cmp.Compare(order[a.Kind], order[b.Kind]), cmp.Compare(b.Events, a.Events),
			cmp.Compare(a.Issues[0].Number, b.Issues[0].Number))
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
// decided about; ok is false if there is none.
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
	if n := len(x.Issues); n > maxNamed {
		x.More, x.Issues = n-maxNamed, x.Issues[:maxNamed]
	}
	return x, first
}
