package replay

import (
	"encoding/json"
	"math/rand/v2"
	"slices"
	"time"
)

// Earlier is a release of quayside of which nothing was recorded: what goes
// wrong in 4.2.0 went wrong in it too, save what is new there.
type Earlier struct {
	Version  string
	From, To float64 // days ago
	Without  []string
}

// EarlierReleases are the releases of quayside before those that were recorded,
// the oldest first. A harbour that is not known was mended in the second.
var EarlierReleases = []Earlier{
	{"4.0.3", 26.5, 21.7, []string{"family-fare", "berth-plan", "saved-filter"}},
	{"4.1.0", 20.8, 14.1, []string{"family-fare", "berth-plan", "saved-filter", "harbour"}},
}

// Traffic makes the events of an earlier release.
func (x Earlier) Traffic(lines []Line, now time.Time) []json.RawMessage {
	var out []sent
	for i, l := range lines {
		h := habits[l.Doing]
		if l.App != "quayside" || l.Release != "4.2.0" || h.users == 0 || slices.Contains(x.Without, l.Doing) {
			continue
		}
		resource := map[string]any{}
		for k, v := range l.Resource {
			resource[k] = v
		}
		resource["service.version"] = x.Version
		l.Resource, l.Release = resource, x.Version
		rng := rand.New(rand.NewPCG(uint64(i), uint64(len(x.Version)+int(x.From))))
		n := max(2, h.users/4)
		if l.Doing == "harbour" { // often enough to tell that it stopped
			n = 6
		}
		for u := range n {
			at := now.Add(-time.Duration((x.To + rng.Float64()*(x.From-x.To)) * float64(24*time.Hour)))
			out = append(out, sent{at, person(l, rng, at, 1000+(u*17+i*5)%420)})
		}
	}
	slices.SortFunc(out, func(a, b sent) int { return a.at.Compare(b.at) })
	events := make([]json.RawMessage, len(out))
	for i, s := range out {
		events[i] = s.event
	}
	return events
}
