// Package replay turns the demo's recording into two weeks of traffic: real
// stack traces, spread over days, hours and a few hundred made-up people.
// The same seed and time give the same events.
package replay

import (
	"bufio"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"time"
)

// Line is one recorded event.
type Line struct {
	App      string         `json:"app"`
	Release  string         `json:"release"`
	Doing    string         `json:"doing"`
	Resource map[string]any `json:"resource"`
	Event    map[string]any `json:"event"`
}

// Load reads a recording.
func Load(file string) ([]Line, error) {
	f, err := os.Open(file)
	if err != nil {
		return nil, fmt.Errorf("the recording is missing (make recordings makes it): %w", err)
	}
	defer f.Close()
	var out []Line
	s := bufio.NewScanner(f)
	s.Buffer(nil, 4<<20)
	for s.Scan() {
		var l Line
		if err := json.Unmarshal(s.Bytes(), &l); err != nil {
			return nil, fmt.Errorf("%s, line %d: %w", file, len(out)+1, err)
		}
		out = append(out, l)
	}
	return out, s.Err()
}

// habit says how often one doing ends badly: how many people it hits, how
// often each, and from which day on.
type habit struct {
	users, each int
	from        float64 // days ago
}

// habits are the demo's two weeks. "follow" is the retry loop of one user.
var habits = map[string]habit{
	"new-year": {users: 90, each: 2, from: 13.5}, "new-year-week": {users: 25, each: 1, from: 12},
	"family-fare": {users: 160, each: 2, from: 13.8},
	"berth-plan":  {users: 70, each: 1, from: 11}, "deep-berth": {users: 6, each: 3, from: 9}, "zoom-in": {users: 34,
		each: 1, from: 13},
	"departures": {users: 210, each: 2, from: 13.9}, "saved-filter": {users: 14, each: 2, from: 8},
	"sailing": {users: 40, each: 1, from: 13}, "harbour": {users: 11, each: 2, from: 10},
	"push": {users: 22, each: 1, from: 6}, "follow": {users: 1, each: 1400, from: 5},
	"/scan?ticket=MSF-0000": {users: 18, each: 9, from: 13.5}, "/ticket?code=not-a-ticket": {users: 16, each: 4,
		from: 12}, "/manifest?sailing=1200": {users: 5, each: 6, from: 13},
	"/rate?boarded=90&minutes=0": {users: 3, each: 5, from: 10}, "/gates": {users: 9, each: 3, from: 4},
	"/weather": {users: 12, each: 14, from: 13.9}, "/berth?ship=Eider": {users: 8, each: 2, from: 7},
}

// device is what a made-up person uses.
type device struct{ os, version, browser, browserVersion string }

var devices = []device{
	{"Android", "14", "Chrome", "148.0.0.0"}, {"Android", "15", "Chrome", "148.0.0.0"}, {"Android", "14", "Chrome",
		"147.0.0.0"}, {"Windows", "10.0", "Chrome", "148.0.0.0"},
	{"Windows", "10.0", "Edge", "148.0.0.0"}, {"macOS", "15.1", "Chrome", "148.0.0.0"}, {"Linux", "", "Chrome",
		"148.0.0.0"}, {"ChromeOS", "16093", "Chrome", "147.0.0.0"},
}

// NewReleaseAge is how long ago the newer releases went out.
const NewReleaseAge = 3 * 24 * time.Hour

// Traffic makes the events of one app: those of the old releases or those of
// the new ones, which is how a team lives through them.
func Traffic(lines []Line, app string, newer bool, now time.Time) []json.RawMessage {
	old := map[string]bool{"4.2.0": true, "2.8.0": true}
	var out []sent
	for i, l := range lines {
		h := habits[l.Doing]
		if l.App != app || old[l.Release] == newer || h.users == 0 {
			continue
		}
		rng := rand.New(rand.NewPCG(uint64(i), uint64(len(l.Doing))))
		from, to := now.Add(-time.Duration(h.from*24*float64(time.Hour))), now.Add(-NewReleaseAge/3)
		users, each := h.users, h.each
		if newer {
			from, to = now.Add(-NewReleaseAge), now
			users, each = max(1, users/3), max(1, each/2)
		}
		for u := range users {
			for range 1 + rng.IntN(2*each) {
				at := from.Add(time.Duration(rng.Float64() * float64(to.Sub(from))))
				if rng.Float64() < 0.55 && at.Hour() < 6 { // few people travel at night
					at = at.Add(8 * time.Hour)
				}
				if at.After(to) {
					at = to.Add(-time.Duration(rng.IntN(3600)) * time.Second)
				}
				who := 1000 + (u*11+i*13)%420
				if h.users == 1 {
					who = 1007 // one and the same in every release
				}
				out = append(out, sent{at, person(l, rng, at, who)})
			}
		}
	}
	slices.SortFunc(out, func(a, b sent) int { return a.at.Compare(b.at) })
	events := make([]json.RawMessage, len(out))
	for i, s := range out {
		events[i] = s.event
	}
	return events
}

// Noise makes what the timetable's team does not want to see, and what must not
// be seen: a crawler's errors, those of a browser's extension, and a boarding
// pass in a message.
func Noise(lines []Line, now time.Time) []json.RawMessage {
	var out []json.RawMessage
	for i, l := range lines {
		if l.App != "quayside" || l.Release == "4.2.0" || habits[l.Doing].users == 0 {
			continue
		}
		rng := rand.New(rand.NewPCG(uint64(i), 77))
		for n := range 40 {
			var e map[string]any
			if err := json.Unmarshal(person(l, rng, now.Add(-time.Duration(rng.IntN(7200))*time.Second), 1400+n),
				&e); err != nil {
				panic(err) // it was JSON before
			}
			attributes := e["attributes"].(map[string]any)
			switch {
			case n == 0:
				e["message"] = "pass MSF-204811 of ines.marlow@ferries.example was not read, password=kittiwake7"
			case n < 8:
				e["exceptions"] = []any{map[string]any{"type": "TypeError", "message": "t.matches is not a function", "stack": "TypeError: t.matches is not a function\n    at fill (chrome-extension://kdfgchhbobjjinlfaleb/fill.js:3:114)"}}
			default:
				attributes["user_agent.original"] = "Mozilla/5.0 (compatible; Tidebot/2.1; +https://tidebot.example/about)"
			}
			raw, err := json.Marshal(e)
			if err != nil {
				panic(err) // it was JSON before
			}
			out = append(out, raw)
		}
	}
	return slices.Insert(out, 0, json.RawMessage(`{"severity":"error","note":"an event without a message"}`))
}

// sent is an event with the time it is sent at.
type sent struct {
	at    time.Time
	event json.RawMessage
}

// person makes one event of a recorded one: another person, device and time;
// the trace stays word for word.
func person(l Line, rng *rand.Rand, at time.Time, who int) json.RawMessage {
	recorded, _ := time.Parse(time.RFC3339Nano, fmt.Sprint(l.Event["time"])) // the client wrote it
	shift := at.Sub(recorded)
	e := map[string]any{}
	for k, v := range l.Event {
		e[k] = v
	}
	e["id"] = uuid7(at, rng)
	e["time"] = at.UTC().Format(time.RFC3339Nano)
	resource, attributes := map[string]any{}, map[string]any{}
	for k, v := range l.Resource {
		resource[k] = v
	}
	if a, ok := l.Event["attributes"].(map[string]any); ok {
		for k, v := range a {
			attributes[k] = v
		}
	}
	if l.App == "quayside" {
		d := devices[who%len(devices)]
		resource["os.name"], resource["os.version"], resource["user_agent.name"], resource["user_agent.version"] = d.os,
			d.version, d.browser, d.browserVersion
		resource["browser.mobile"] = d.os == "Android"
		delete(resource, "user_agent.original")
		resource["app.installation.id"] = uuid7(time.Unix(int64(who)*86400, 0), rand.New(rand.NewPCG(uint64(who), 1)))
		attributes["user.id"] = fmt.Sprintf("p-%d", who)
		attributes["berth.zone"] = string("BCCD"[who/len(devices)%4])
		if l.Doing == "berth-plan" && d.os == "Android" && d.version == "14" {
			attributes["berth.zone"] = "C" // on these phones only the map of one zone breaks
		}
	} else {
		attributes["user.id"] = fmt.Sprintf("gate-%d", who%19)
		attributes["gate.name"] = []string{"north", "south", "ramp"}[who%3]
	}
	// One person has one session in an hour; each request to gangway is one.
	begun := at.Truncate(time.Hour)
	if l.App == "gangway" {
		begun = at
	}
	attributes["session.id"] = uuid7(begun,
		rand.New(rand.NewPCG(uint64(who),
			uint64(begun.UnixNano())+uint64(len(l.App+l.Release))+uint64(l.Release[len(l.Release)-1]))))
	if rng.Float64() < 0.06 {
		resource["deployment.environment.name"] = "staging"
	}
	e["resource"], e["attributes"] = resource, attributes
	if list, ok := l.Event["breadcrumbs"].([]any); ok {
		moved := make([]any, len(list))
		for i, b := range list {
			m := map[string]any{}
			for k, v := range b.(map[string]any) {
				m[k] = v
			}
			if t, err := time.Parse(time.RFC3339Nano, fmt.Sprint(m["time"])); err == nil {
				before := time.Duration((len(list)-i)*1700) * time.Millisecond
				m["time"] = t.Add(shift - before).UTC().Format(time.RFC3339Nano)
			}
			moved[i] = m
		}
		e["breadcrumbs"] = moved
	}
	raw, err := json.Marshal(e)
	if err != nil {
		panic(err) // it was JSON before
	}
	return raw
}

// uuid7 is a version 7 UUID (RFC 9562, section 5.7) of a given time.
func uuid7(at time.Time, rng *rand.Rand) string {
	ms := at.UnixMilli()
	return fmt.Sprintf("%08x-%04x-7%03x-%04x-%012x", ms>>16, ms&0xffff, rng.IntN(0x1000), 0x8000|rng.IntN(0x4000),
		rng.Int64N(1<<48))
}
