package replay

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"time"
)

// calm is how many sessions go well for each one that does not.
const calm = 9

// Outcomes counts sessions by how they ended.
type Outcomes map[string]int64

// Sessions makes the sessions of the people who met the events of Traffic, and
// of those who met none. In quayside a session is a page's life: most errors
// leave it usable, a RangeError that nothing catches does not. In gangway it is a
// request, which any error that nothing catches ends.
func Sessions(app string, events []json.RawMessage) (messages []json.RawMessage, counts Outcomes) {
	type told struct {
		at         time.Time
		resource   map[string]any
		attributes map[string]any
		outcome    string
	}
	met := map[string]*told{}
	var order []string
	for _, raw := range events {
		var e struct {
			Time       time.Time
			Handled    *bool
			Resource   map[string]any
			Attributes map[string]any
			Exceptions []struct{ Type string }
		}
		if err := json.Unmarshal(raw, &e); err != nil {
			panic(err) // Traffic wrote it
		}
		id := fmt.Sprint(e.Attributes["session.id"])
		s := met[id]
		if s == nil {
			s = &told{at: e.Time, resource: e.Resource, attributes: e.Attributes, outcome: "faulty"}
			met[id], order = s, append(order, id)
		}
		unhandled := e.Handled != nil && !*e.Handled
		if unhandled && (app == "gangway" || len(e.Exceptions) > 0 && e.Exceptions[0].Type == "RangeError") {
			s.outcome = "crashed"
		}
	}
	counts = Outcomes{}
	of := time.Second // what lasts how long: a page minutes, a request less than a second
	if app == "gangway" {
		of = time.Millisecond
	}
	tell := func(id, outcome string, at time.Time, lasted time.Duration, of *told, user any) {
		resource, kept, attributes := of.resource, map[string]any{}, map[string]any{"user.id": user}
		for _, k := range []string{"user_agent.original", "os.name", "device.type", "browser.name"} {
			for _, from := range []map[string]any{of.attributes, of.resource} {
				if v, ok := from[k]; ok {
					attributes[k] = v
				}
			}
		}
		for _, k := range []string{"service.name", "service.version", "deployment.environment.name",
			"app.installation.id"} {
			if v, ok := resource[k]; ok {
				kept[k] = v
			}
		}
		raw, err := json.Marshal(map[string]any{"id": id, "sequence": 1, "started": at,
			"duration_ms": lasted.Milliseconds(), "outcome": outcome, "resource": kept,
			"attributes": attributes})
		if err != nil {
			panic(err) // plain values encode
		}
		messages = append(messages, raw)
		counts[outcome]++
	}
	rng := rand.New(rand.NewPCG(uint64(len(order)), 5))
	for _, id := range order {
		s := met[id]
		before := time.Duration(rng.IntN(300)) * of
		tell(id, s.outcome, s.at.Add(-before), before+time.Duration(rng.IntN(120))*of, s, s.attributes["user.id"])
		for range calm {
			at := s.at.Add(-time.Duration(rng.IntN(3*3600)) * time.Second)
			user := fmt.Sprintf("p-%d", 1000+rng.IntN(4000))
			if app == "gangway" {
				user = fmt.Sprintf("gate-%d", rng.IntN(19))
			}
			tell(uuid7(at, rng), "clean", at, time.Duration(20+rng.IntN(600))*of, s, user)
		}
	}
	return messages, counts
}

// words are what a few of those said who were hit, by what they had clicked.
var words = []struct{ about, text, name, email string }{
	{"button#new-year \\", "I wanted the last ferry on New Year's Eve. The page stays empty, I even tried another phone.", "Ines Marlow", "ines.marlow@ferries.example"},
	{"button#new-year-week", "New Year's timetable does not open. My mother waits at Carrow Slip!", "", ""},
	{"button#family-fare", "Five of us, two are children. No price appears, whatever I choose.", "Tam Orrin", "tam@orrin.example"},
	{"button#departures", "tomorrow's departures: nothing. Is the harbour closed?", "", "b.lund@tarn.example"},
	{"button#berth-plan", "The berth map of zone D is blank <b>again</b>.", "Old Quay harbour office",
		"office@oldquay.example"},
}

// Feedback makes what a few people said about the newest events that they met
// in the old releases or the new ones.
func Feedback(events []json.RawMessage, newer bool) (out []json.RawMessage) {
	used := map[string]bool{}
	said := words[:2] // New Year's Eve is mended in the new one
	if newer {
		said = words[2:]
	}
	for _, w := range said {
		for _, raw := range slices.Backward(events) {
			var e struct {
				ID         string
				Time       time.Time
				Resource   map[string]any
				Attributes map[string]any
				Exceptions []any
			}
			if err := json.Unmarshal(raw, &e); err != nil {
				panic(err) // Traffic wrote it
			}
			if used[e.ID] || len(e.Exceptions) == 0 || !strings.Contains(string(raw), w.about) {
				continue
			}
			used[e.ID] = true
			text, err := json.Marshal(map[string]any{"id": uuid7(e.Time.Add(time.Minute),
				rand.New(rand.NewPCG(uint64(len(out)), 9))), "time": e.Time.Add(time.Minute), "event": e.ID,
				"text": w.text, "user.name": w.name, "user.email": w.email, "resource": e.Resource,
				"attributes": map[string]any{"user.id": e.Attributes["user.id"]}})
			if err != nil {
				panic(err) // plain values encode
			}
			out = append(out, text)
			break
		}
	}
	return out
}
