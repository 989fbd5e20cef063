package difference

import (
	"cmp"
	"slices"
	"strings"

	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
)

// Found is a difference that a sample shows, and how many of its events have it.
type Found struct {
	Difference
	Events  int
	Settled bool // at least one variant has it in its key, so that all its events can be told
}

// Sample collects what events of one issue differ in.
type Sample struct {
	events int
	found  map[Difference]*Found
	values map[string]int // attribute → how many events have it
}

// NewSample is one without events.
func NewSample() *Sample {
	return &Sample{found: map[Difference]*Found{}, values: map[string]int{}}
}

const (
	maxDistinct = 20_000 // differences kept of a sample: attributes that are never alike stop counting there
	maxKinds    = 8      // of each kind, and of each attribute, that are offered
	maxOffered  = 40
)

// Add takes an event in, with what its fingerprint was made from.
func (s *Sample) Add(e *event.Event, frames [][]event.Frame, print fingerprint.Result) {
	s.events++
	has := map[Difference]bool{}
	for _, list := range frames {
		for _, f := range list {
			if function := blame.Function(f); f.Kind == event.Own && !f.Pending && function != "" {
				has[Difference{Kind: Frame, Value: strings.TrimSpace(blame.Module(f) + " " + function)}] = true
			}
		}
	}
	if m := form(messageOf(e, frames)); m != "" {
		has[Difference{Kind: Message, Value: m}] = true
	}
	for _, a := range []event.Attributes{e.Attributes, e.Resource} {
		for _, name := range a.Names() {
			if v := value(e, name); v != "" && len(v) <= maxValue && !personal(name) {
				has[Difference{Kind: Attribute, Name: name, Value: v}] = true
			}
		}
	}
	for d := range has {
		x := s.found[d]
		if x == nil {
			if len(s.found) >= maxDistinct {
				continue
			}
			x = &Found{Difference: d}
			s.found[d] = x
		}
		x.Events++
		x.Settled = x.Settled || d.Settled(print)
	}
}

// personal are attributes that name one person, process or moment: nobody
// splits a bug by them.
func personal(name string) bool {
	for _, p := range []string{"user.", "enduser.", "session.", "host.id", "process.pid", "service.instance.id",
		"app.installation.id"} {
		if strings.HasPrefix(name, p) {
			return true
		}
	}
	return false
}

// Events is how many events were taken in.
func (s *Sample) Events() int { return s.events }

// Differences lists what some but not all of the events have, the frames
// first, then messages, then attributes; of each what most have. What only one
// event of many has is left out, and attributes whose values are hardly ever
// alike.
func (s *Sample) Differences() []Found {
	distinct := map[string]int{}
	var list []Found
	for d, x := range s.found {
		if d.Kind == Attribute {
			distinct[d.Name]++
		}
		if x.Events < s.events && (x.Events > 1 || s.events <= 4) {
			list = append(list, *x)
		}
	}
	order := map[Kind]int{Frame: 0, Message: 1, Attribute: 2}
	most := map[string]int{} // of an attribute, so that its values stand together
	for _, x := range list {
		if x.Kind == Attribute {
			most[x.Name] = max(most[x.Name], x.Events)
		}
	}
	slices.SortFunc(list, func(a, b Found) int {
		return cmp.Or(cmp.Compare(order[a.Kind], order[b.Kind]), cmp.Compare(most[b.Name], most[a.Name]),
			cmp.Compare(a.Name, b.Name), cmp.Compare(b.Events, a.Events), cmp.Compare(a.Value, b.Value))
	})
	of := map[string]int{}
	return slices.DeleteFunc(list, func(x Found) bool {
		key := string(x.Kind) + " " + x.Name
		of[key]++
		of[""]++
		alike := x.Kind != Attribute || distinct[x.Name]*2 <= s.events || distinct[x.Name] <= 4
		if !alike || of[key] > maxKinds || of[""] > maxOffered {
			of[""]--
			return true
		}
		return false
	})
}
