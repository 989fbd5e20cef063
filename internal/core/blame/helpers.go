package blame

import (
	"regexp"
	"strings"

	"firethorn/internal/core/event"
)

// Helpers learns which functions fail on behalf of their callers, by how many
// different callers they have: a function like that is looked through, and who
// called it is blamed.
type Helpers struct {
	seen map[place]*callee
}

// place is a function as the fingerprint names it.
type place struct{ module, function string }

// callee is a function that was blamed.
type callee struct {
	callers map[place]map[string]bool // what was said, by who called
	wishes  map[string]place          // who called, by what was asked for; the zero place: several did
	hinted  bool
}

const (
	hintedCallers = 2  // a function whose name says that it asks or makes errors for others
	wordyCallers  = 3  // one that says something else for every caller
	manyCallers   = 4  // any other
	maxCallers    = 64 // that are remembered
	maxWords      = 8  // of one caller
)

// NewHelpers knows no function yet.
func NewHelpers() *Helpers { return &Helpers{seen: map[place]*callee{}} }

// Learn notes the function that an event blames, and its caller. The frames are marked
// (Mark) without what was learned.
func (h *Helpers) Learn(e *event.Event, frames [][]event.Frame) {
	i, j, ok := Origin(frames)
	if !ok || i >= len(e.Exceptions) || Itself(e.Exceptions[i]) || frames[i][j].Pending {
		return
	}
	shape, _ := PlainShape(e.Exceptions[i].Message)
	wish := wishKey(e.Exceptions[i].Message)
	// Those that were looked through for what their source says.
	for k, f := range frames[i][:j] {
		if f.Kind == event.Own && f.OnBehalf && !f.Pending && placeOf(f) != placeOf(frames[i][j]) {
			h.note(frames[i], k, j, shape, wish)
		}
	}
	// A helper may be called by another one: two steps are noted.
	for range 2 {
		next, ok := CallerOf(frames[i], j)
		if !ok {
			return
		}
		h.note(frames[i], j, next, shape, wish)
		j = next
	}
}

// note writes down that the frame at j was called by the one at by.
func (h *Helpers) note(frames []event.Frame, j, by int, shape, wish string) {
	at, caller := placeOf(frames[j]), placeOf(frames[by])
	c := h.seen[at]
	if c == nil {
		c = &callee{callers: map[place]map[string]bool{}, wishes: map[string]place{}, hinted: Hinted(frames[j])}
		h.seen[at] = c
	}
	if c.callers[caller] == nil && len(c.callers) < maxCallers {
		c.callers[caller] = map[string]bool{}
	}
	if words := c.callers[caller]; words != nil && len(words) < maxWords {
		words[shape] = true
	}
	c.wish(wish, caller)
}

// wishKey is what a message says was asked for, whatever the answer was and
// whichever ids it names.
func wishKey(message string) string { return Wish(WishIDs(message)) }

// wish notes who asked for what.
func (c *callee) wish(what string, by place) {
	if who, ok := c.wishes[what]; ok && who.function == by.function {
		return // the same one, or before it moved to another file
	} else if ok {
		by = place{}
	} else if !ok && len(c.wishes) >= maxCallers {
		return
	}
	c.wishes[what] = by
}

// Asked is who asks a function for what a message reports, where one caller
// alone was seen to do so: engines that do not say who awaited leave that out.
func (h *Helpers) Asked(f event.Frame, message string) (module, function string, ok bool) {
	if h == nil {
		return "", "", false
	}
	at := placeOf(f)
	if h.seen[at] == nil || !h.is(at) && !f.OnBehalf {
		return "", "", false
	}
	by := h.seen[at].wishes[wishKey(message)]
	return by.module, by.function, by != place{}
}

// isHelper says whether the function of a frame was found to fail on behalf of
// its callers.
func (h *Helpers) isHelper(f event.Frame) bool { return h != nil && h.is(placeOf(f)) }

// is says whether a function was found to fail on behalf of its callers.
func (h *Helpers) is(at place) bool {
	if h == nil {
		return false
	}
	c := h.seen[at]
	if c == nil {
		return false
	}
	return Enough(len(c.callers), c.hinted, c.differs())
}

// Enough says whether so many different callers make a helper.
func Enough(callers int, hinted, wordy bool) bool {
	return callers >= manyCallers || hinted && callers >= hintedCallers || wordy && callers >= wordyCallers
}

// differs says whether every caller gets a text that no other gets.
func (c *callee) differs() bool {
	by := map[string]int{}
	for _, words := range c.callers {
		for w := range words {
			by[w]++
		}
	}
	for _, n := range by {
		if n > 1 {
			return false
		}
	}
	return len(by) > 1
}

func placeOf(f event.Frame) place { return place{Module(f), Function(f)} }

// CallerOf is the own function that called the one at j: the next own frame
// outward that is another function, has a name, and fails on nobody's behalf.
func CallerOf(frames []event.Frame, j int) (int, bool) {
	origin := frames[j]
	at := placeOf(origin)
	for k := j + 1; k < len(frames); k++ {
		f := frames[k]
		if f.Kind != event.Own || f.Pending || f.Called() == "" || f.File == origin.File &&
			f.Function == origin.Function && f.Within == origin.Within {
			continue // the last is recursion: it is not named again for each of its frames
		}
		if placeOf(f) != at && !f.LookThrough && !f.Builtin && !named(f, helper) {
			return k, true
		}
	}
	return 0, false
}

var (
	// helper names functions whose whole work is to fail on behalf of their caller.
	helper = regexp.MustCompile(`^(?:(?i:assert|invariant|ensure|must|fail|raise|throw|panic|check|expect|require|reject|abort|unreachable)(?:[A-Z_]\w*)?|(?:make|create|new|build|to|as|wrap|throw)[A-Z]?\w*(?:Error|Exception|Failure|Problem)|[a-z]\w*(?:Error|Exception))$`)
	// asking names functions that ask something of others for their caller.
	asking = regexp.MustCompile(`(?i)^(?:\w*(?:fetch|request|http|ajax|xhr|rpc|graphql)\w*|(?:get|post|put|patch|delete|send|load|call|query)(?:json|api|data|remote)?|api\w*|\w*api|exec|execute|run(?:Query|Sql)|parse(?:Json|Response)|handleResponse|unwrap|retry|withRetry|err|error|fatal|die|bail|notFound|badRequest|fromStatus)$`)
	// making names the constructors of exceptions, which only some engines print.
	making = regexp.MustCompile(`^(?:new )?\w*(?:Error|Exception|Failure)$`)
)

// named says whether the function's own name, without its class, fits.
func named(f event.Frame, form *regexp.Regexp) bool {
	name := f.Function
	if name == "" {
		return false
	}
	if i := strings.LastIndexAny(name, ".:>"); i >= 0 {
		name = name[i+1:]
	}
	return form.MatchString(strings.TrimSuffix(name, "/<"))
}

// Hinted says whether a function's name says that it asks something of others.
func Hinted(f event.Frame) bool { return named(f, asking) }

// Asks says whether the frame at j asks something of others, by its name, on
// behalf of a caller that the trace does not show.
func Asks(frames []event.Frame, j int) bool {
	if !Hinted(frames[j]) && !frames[j].LookThrough && !named(frames[j], helper) {
		return false
	}
	return !hasCaller(frames, j)
}

// AsksBySource is Asks, also by what the function's source says and by what was
// learned of it.
func (h *Helpers) AsksBySource(frames []event.Frame, j int) bool {
	return Asks(frames, j) || (frames[j].OnBehalf || h.isHelper(frames[j])) && !hasCaller(frames, j)
}
