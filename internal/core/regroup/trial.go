package regroup

import (
	"fmt"
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
	Stored    fingerprint.Key // what it was processed under, without splits
	Part      bool            // it was split off by hand
	Ruled     bool            // a grouping rule made what it was processed under
	Looked    bool            // its origin was looked through, for it has many callers
	Thrown    time.Time
	StandsFor int64
	User      int64
	HasUser   bool
	Event     *event.Event
	Frames    [][]event.Frame // as they were processed; a trial marks them again
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
// are of the events that were read, each as often as it counts.
type Outcome struct {
	Events  int64     `json:"events" doc:"that were checked, each as often as it counts"`
	Moved   int64     `json:"moved" doc:"of them, those that would be in another issue"`
	Users   int64     `json:"users" doc:"affected by events that would move"`
	Issues  int       `json:"issues" doc:"that the events are in"`
	Stay    int       `json:"stay" doc:"of them, those that would have the same events as before"`
	Merges  []Joined  `json:"merges" nullable:"false" doc:"issues that would get events of others, most events first"`
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
	New      int       `json:"new,omitempty" doc:"number of the issue that would be created"`
	Headline string    `json:"headline"`
	Place    string    `json:"place,omitempty"`
	Events   int64     `json:"events" doc:"of those checked"`
	Users    int64     `json:"users"`
	Rule     string    `json:"rule,omitempty" doc:"the grouping rule that names the events"`
	Gone     bool      `json:"gone,omitempty" doc:"no event would stay; its number would redirect to the other issue"`
	Examples []Example `json:"examples,omitempty"`
}

// Example is one event, before and after.
type Example struct {
	Event   string             `json:"event"`
	Message string             `json:"message"`
	Origin  string             `json:"origin,omitempty" doc:"the frame that is blamed then"`
	Before  []fingerprint.Part `json:"before" nullable:"false" doc:"the parts of its current fingerprint"`
	After   []fingerprint.Part `json:"after" nullable:"false"`
}

// RuleHit is what one rule did in a trial.
type RuleHit struct {
	Section string `json:"section"`
	Rule    string `json:"rule"`
	Events  int64  `json:"events" doc:"that it decided about"`
	Issues  int    `json:"issues" doc:"that these are in"`
	Failed  int64  `json:"failed,omitempty" doc:"events for which it failed"`
	Costly  int64  `json:"too_costly,omitempty" doc:"events for which it was stopped"`
	Empty   int64  `json:"empty,omitempty" doc:"events that lack all its values, so that it did not apply"`
	Why     string `json:"why,omitempty" doc:"the last error"`
}

const (
	maxListed   = 100
	maxSides    = 50
	maxExamples = 2
	maxMessage  = 300
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
	if key := x.print.Key; key != o.Stored {
		// Only what may move is looked at twice.
		before, _ := Print(t.now, o, nil)
		x.before = before.Parts
		if before.Key == key { // it was processed otherwise once: that is not what is tried
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
	k := cellKey{o.Issue, o.Stored, x.print.Key, o.Part}
	c := t.cells[k]
	if c == nil {
		c = &cell{Cell: Cell{Issue: o.Issue, Now: o.Stored, Then: x.print.Key, Part: o.Part},
			users: map[int64]struct{}{}}
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
	if len(c.examples) < maxExamples {
		ex := Example{Event: o.ID, Message: event.TrimText(x.print.Message, maxMessage), Before: orEmpty(x.before),
			After: orEmpty(x.print.Parts)}
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
