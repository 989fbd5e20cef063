package regroup

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"time"

	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/grouping"
	"firethorn/internal/core/rules"
	"firethorn/internal/core/symbolicate"
)

// Observed is a stored event as a trial sees it.
type Observed struct {
	ID        string
	Issue     int64           // where it is
	Filed     fingerprint.Key // what it was filed under, without splits
	Part      bool            // it was split off by hand
	Ruled     bool            // a grouping rule made what it was filed under
	Looked    bool            // its origin was looked through, for it has many callers
	Thrown    time.Time
	StandsFor int64
	User      int64
	HasUser   bool
	Event     *event.Event
	Frames    [][]event.Frame // as they were filed; a trial marks them anew
}

// Print fingerprints an event as another way of grouping would, keeping to
// what was found out of functions with many callers.
func Print(m grouping.Method, o *Observed, hit func(rule string)) (fingerprint.Result, []rules.Trouble) {
	symbolicate.Remark(o.Event, o.Frames, symbolicate.Options{Kinds: m.Kinds(), Hit: hit})
	if m.Learned != nil {
		blame.Again(o.Event.Exceptions, o.Frames, m.Learned)
	}
	print, trouble := m.Print(o.Event, o.Thrown, o.Frames)
	if o.Looked {
		print = print.Through(o.Event, o.Frames)
	}
	return print, trouble
}

// Outcome is what another way of grouping would do to stored events. Counts
// are of the events that were looked at, each as often as it stands for.
type Outcome struct {
	Events  int64     `json:"events" doc:"that were looked at, each as often as it stands for"`
	Moved   int64     `json:"moved" doc:"of them, those that would be in another issue"`
	Users   int64     `json:"users" doc:"that were hit by events which would move"`
	Issues  int       `json:"issues" doc:"that the events are in"`
	Stay    int       `json:"stay" doc:"of them, those that would have the same events as before"`
	Merges  []Joined  `json:"merges" nullable:"false" doc:"issues that would take in events of others, most events first"`
	Splits  []Parted  `json:"splits" nullable:"false" doc:"issues whose events would be in several, most events first"`
	Rules   []RuleHit `json:"rules" nullable:"false" doc:"the frame and grouping rules, in the order of the file"`
	Version int       `json:"grouping_version" doc:"that was tried"`
	More    int       `json:"more,omitempty" doc:"merges and splits that are not listed"`
}

// Joined is an issue that takes in events of others.
type Joined struct {
	Into Side   `json:"into"`
	From []Side `json:"from" nullable:"false" doc:"most events first"`
}

// Parted is an issue whose events go to several.
type Parted struct {
	From Side   `json:"from"`
	Into []Side `json:"into" nullable:"false" doc:"most events first"`
}

// Side is one issue of a change: one there is, or one that would be made.
type Side struct {
	Number   int64     `json:"number,omitempty" doc:"of the issue; absent for one that would be made"`
	New      int       `json:"new,omitempty" doc:"tells issues apart that would be made"`
	Headline string    `json:"headline"`
	Place    string    `json:"place,omitempty"`
	Events   int64     `json:"events" doc:"of those looked at"`
	Users    int64     `json:"users"`
	Rule     string    `json:"rule,omitempty" doc:"the grouping rule that names the events"`
	Gone     bool      `json:"gone,omitempty" doc:"nothing of it would stay; its number would lead to the other issue"`
	Examples []Example `json:"examples,omitempty"`
}

// Example is one event, before and after.
type Example struct {
	Event   string             `json:"event"`
	Message string             `json:"message"`
	Origin  string             `json:"origin,omitempty" doc:"the frame that is blamed then"`
	Before  []fingerprint.Part `json:"before" nullable:"false" doc:"what its fingerprint is made from now"`
	After   []fingerprint.Part `json:"after" nullable:"false"`
}

// RuleHit is what one rule did in a trial.
type RuleHit struct {
	Section string `json:"section"`
	Rule    string `json:"rule"`
	Events  int64  `json:"events" doc:"that it decided about"`
	Issues  int    `json:"issues" doc:"that these are in"`
	Failed  int64  `json:"failed,omitempty" doc:"events that it failed on"`
	Costly  int64  `json:"too_costly,omitempty" doc:"events that it was stopped for"`
	Empty   int64  `json:"empty,omitempty" doc:"events that lack all that it fills in, so that it did not fit"`
	Why     string `json:"why,omitempty" doc:"the last error"`
}

const (
	mostListed   = 100
	mostSides    = 50
	mostExamples = 2
	mostMessage  = 300
)

// Trial tries another way of grouping on stored events. Make it with NewTrial.
type Trial struct {
	now, then grouping.Method
	cells     map[cellKey]*cell
	hits      []*RuleHit
	hitIssues map[*RuleHit]map[int64]bool
	Failed    int64 // events that a rule failed on or was stopped for
}

// cellKey is what makes events one cell.
type cellKey struct {
	issue     int64
	now, then fingerprint.Key
	part      bool
}

// cell is a Cell with what is shown of it.
type cell struct {
	Cell
	users           map[int64]struct{}
	headline, place string
	rule            string
	examples        []Example
}

// NewTrial prepares a trial: now is how the project groups, then how it would.
func NewTrial(now, then grouping.Method) *Trial {
	t := &Trial{now: now, then: then, cells: map[cellKey]*cell{}, hitIssues: map[*RuleHit]map[int64]bool{}}
	if then.Rules != nil {
		for _, r := range then.Rules.Frames {
			t.rule("frames", r.Name)
		}
		for _, r := range then.Rules.Grouping {
			t.rule("grouping", r.Name)
		}
	}
	return t
}

func (t *Trial) rule(section, name string) *RuleHit {
	for _, h := range t.hits {
		if h.Section == section && h.Rule == name {
			return h
		}
	}
	h := &RuleHit{Section: section, Rule: name}
	t.hits, t.hitIssues[h] = append(t.hits, h), map[int64]bool{}
	return h
}

// Tried is one event as it would be grouped; it can be made by many at once.
type Tried struct {
	o       *Observed
	print   fingerprint.Result
	before  []fingerprint.Part
	frames  map[string]bool // frame rules that decided about a frame
	trouble []rules.Trouble
}

// Try fingerprints an event the other way. It reads the trial only.
func (t *Trial) Try(o *Observed) Tried {
	x := Tried{o: o, frames: map[string]bool{}}
	x.print, x.trouble = Print(t.then, o, func(rule string) { x.frames[rule] = true })
	if key := x.print.Key; key != o.Filed {
		// Only what may move is looked at twice.
		before, _ := Print(t.now, o, nil)
		x.before = before.Parts
		if before.Key == key { // it was filed otherwise once: that is not what is tried
			x.before = nil
		}
		symbolicate.Remark(o.Event, o.Frames, symbolicate.Options{Kinds: t.then.Kinds()})
	}
	return x
}

// Add counts an event that was tried.
func (t *Trial) Add(x Tried) {
	o, n := x.o, max(x.o.StandsFor, 1)
	for r := range x.frames {
		t.hit("frames", r, o.Issue, n)
	}
	if x.print.Ruling != nil {
		t.hit("grouping", x.print.Ruling.Rule, o.Issue, n)
	}
	failed := false
	for _, tr := range x.trouble {
		h := t.rule(tr.Section, tr.Rule)
		switch {
		case tr.Empty:
			h.Empty += n
			continue
		case tr.TooCostly:
			h.Costly += n
		default:
			h.Failed += n
		}
		h.Why, failed = tr.Why, true
	}
	if failed {
		t.Failed += n
	}
	k := cellKey{o.Issue, o.Filed, x.print.Key, o.Part}
	c := t.cells[k]
	if c == nil {
		c = &cell{Cell: Cell{Issue: o.Issue, Now: o.Filed, Then: x.print.Key, Part: o.Part}, users: map[int64]struct{}{}}
		if c.Ruled = o.Ruled; x.print.Ruling != nil {
			c.Ruled, c.rule = true, x.print.Ruling.Rule
		}
		c.headline, c.place = x.print.Headline, x.print.Place
		t.cells[k] = c
	}
	c.Events += n
	if o.HasUser {
		c.users[o.User] = struct{}{}
	}
	if len(c.examples) < mostExamples {
		ex := Example{Event: o.ID, Message: event.TrimText(x.print.Message, mostMessage), Before: orEmpty(x.before), After: orEmpty(x.print.Parts)}
		if x.print.HasOrigin {
			ex.Origin = fmt.Sprintf("%s %s:%d", x.print.Origin.Function, x.print.Origin.File, x.print.Origin.Line)
		}
		if x.before == nil {
			ex.Before = ex.After
		}
		c.examples = append(c.examples, ex)
	}
}

func orEmpty(list []fingerprint.Part) []fingerprint.Part {
	if list == nil {
		return []fingerprint.Part{}
	}
	return list
}

func (t *Trial) hit(section, rule string, issue, n int64) {
	h := t.rule(section, rule)
	h.Events += n
	if !t.hitIssues[h][issue] {
		t.hitIssues[h][issue] = true
		h.Issues++
	}
}

// sum is cells taken together.
type sum struct {
	events          int64
	users           map[int64]struct{}
	headline, place string
	rule            string
	examples        []Example
}

func (s *sum) add(c *cell) {
	if s.users == nil {
		s.users = map[int64]struct{}{}
	}
	if s.events == 0 {
		s.headline, s.place, s.rule = c.headline, c.place, c.rule
	}
	s.events += c.Events
	maps.Copy(s.users, c.users)
	if len(s.examples) < mostExamples {
		s.examples = append(s.examples, c.examples[:min(len(c.examples), mostExamples-len(s.examples))]...)
	}
}

func (s *sum) side() Side {
	return Side{Headline: s.headline, Place: s.place, Events: s.events, Users: int64(len(s.users)), Rule: s.rule, Examples: s.examples}
}

// flow is events of one issue that go to one target.
type flow struct {
	issue int64
	to    Target
}

// Outcome says what would come of it. known tells what issues are called; it
// may be nil.
func (t *Trial) Outcome(known func(issue int64) (headline, place string)) Outcome {
	list := slices.SortedFunc(maps.Values(t.cells), func(a, b *cell) int {
		return cmp.Or(cmp.Compare(b.Events, a.Events), cmp.Compare(a.Issue, b.Issue), cmp.Compare(string(a.Then[:]), string(b.Then[:])), cmp.Compare(string(a.Now[:]), string(b.Now[:])))
	})
	cells := make([]Cell, len(list))
	for i, c := range list {
		cells[i] = c.Cell
	}
	plan := Decide(cells)
	out := Outcome{Version: t.then.Version, Merges: []Joined{}, Splits: []Parted{}, Rules: []RuleHit{}}
	flows, issues, moved := map[flow]*sum{}, map[int64]*sum{}, map[int64]struct{}{}
	for i, c := range list {
		f := flow{c.Issue, plan.Targets[i]}
		if flows[f] == nil {
			flows[f] = &sum{}
		}
		flows[f].add(c)
		if issues[c.Issue] == nil {
			issues[c.Issue] = &sum{}
		}
		issues[c.Issue].add(c)
		out.Events += c.Events
		if f.to.Issue != c.Issue {
			out.Moved += c.Events
			maps.Copy(moved, c.users)
		}
	}
	out.Users, out.Issues = int64(len(moved)), len(issues)
	if known == nil {
		known = func(issue int64) (string, string) { return issues[issue].headline, issues[issue].place }
	}
	name := func(s Side, to Target) Side {
		s.Number, s.New = to.Issue, to.New
		if to.Issue != 0 && issues[to.Issue] != nil {
			s.Headline, s.Place = known(to.Issue)
		}
		return s
	}
	changed := map[int64]bool{}
	from, into := map[Target][]flow{}, map[int64][]flow{}
	for f := range flows {
		from[f.to], into[f.issue] = append(from[f.to], f), append(into[f.issue], f)
		if f.to.Issue != f.issue {
			changed[f.issue], changed[f.to.Issue] = true, true
		}
	}
	bigger := func(a, b flow) int {
		return cmp.Or(cmp.Compare(flows[b].events, flows[a].events), cmp.Compare(a.issue, b.issue), cmp.Compare(a.to.Issue, b.to.Issue), cmp.Compare(a.to.New, b.to.New))
	}
	for to, list := range from {
		if len(list) < 2 {
			continue
		}
		slices.SortFunc(list, bigger)
		m, all := Joined{From: []Side{}}, &sum{}
		for _, f := range list {
			all.events += flows[f].events
			s := name(flows[f].side(), Target{Issue: f.issue})
			_, s.Gone = plan.Emptied[f.issue]
			if len(m.From) < mostSides {
				m.From = append(m.From, s)
			}
			users := all.users
			if users == nil {
				users = map[int64]struct{}{}
				all.users, all.headline, all.place = users, flows[f].headline, flows[f].place
			}
			maps.Copy(users, flows[f].users)
			all.rule = cmp.Or(all.rule, flows[f].rule)
		}
		m.Into = all.side()
		m.Into.Number, m.Into.New, m.Into.Examples = to.Issue, to.New, nil
		out.Merges = append(out.Merges, m)
	}
	for issue, list := range into {
		if len(list) < 2 {
			continue
		}
		slices.SortFunc(list, bigger)
		s := Parted{From: name(issues[issue].side(), Target{Issue: issue}), Into: []Side{}}
		s.From.Examples = nil
		for _, f := range list[:min(len(list), mostSides)] {
			side := flows[f].side()
			side.Number, side.New = f.to.Issue, f.to.New
			s.Into = append(s.Into, side)
		}
		out.Splits = append(out.Splits, s)
	}
	slices.SortFunc(out.Merges, func(a, b Joined) int {
		return cmp.Or(cmp.Compare(b.Into.Events, a.Into.Events), cmp.Compare(a.Into.Number, b.Into.Number), cmp.Compare(a.Into.New, b.Into.New))
	})
	slices.SortFunc(out.Splits, func(a, b Parted) int {
		return cmp.Or(cmp.Compare(b.From.Events, a.From.Events), cmp.Compare(a.From.Number, b.From.Number))
	})
	for issue := range issues {
		if !changed[issue] {
			out.Stay++
		}
	}
	if n := len(out.Merges); n > mostListed {
		out.More, out.Merges = out.More+n-mostListed, out.Merges[:mostListed]
	}
	if n := len(out.Splits); n > mostListed {
		out.More, out.Splits = out.More+n-mostListed, out.Splits[:mostListed]
	}
	for _, h := range t.hits {
		out.Rules = append(out.Rules, *h)
	}
	return out
}
