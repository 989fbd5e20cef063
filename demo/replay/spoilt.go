package replay

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"time"
)

// spoilt is one error that is grouped badly on purpose: by what the application
// says of it, by a helper that nobody has found out, by what its messages hold.
type spoilt struct {
	app, release string
	typ, message string
	stack        []string // "src/file.ts:line function", innermost first
	grouping     map[string]any
	attributes   map[string]any
	users, each  int
	days         float64
	then         string // the doing of a recorded error that follows two seconds later, in the same session
}

const harbour = "harbour.marrowsound.example"

// spoilts are the groupings that the review is to find.
var spoilts = []spoilt{
	// The gate says its request's number of every failed boarding: one cause in as many issues.
	{app: "gangway", release: "2.9.0", typ: "BoardingError", message: "the gate took no answer",
		stack:    []string{"src/boarding.ts:31 closeBoarding", "src/server.ts:44 handle"},
		grouping: map[string]any{"extend": []string{"${gate.request}"}}, users: 7, each: 2, days: 2.5},
	// One upstream does not answer at all.
	{app: "gangway", release: "2.9.0", typ: "TimeoutError", message: harbour + " did not answer within @00 ms",
		stack:      []string{"src/gates.ts:12 openGate", "src/server.ts:44 handle"},
		attributes: map[string]any{"server.address": harbour}, users: 9, each: 3, days: 3},
	{app: "gangway", release: "2.9.0", typ: "TimeoutError", message: harbour + " did not answer within @00 ms",
		stack:      []string{"src/berths.ts:9 freeBerth", "src/server.ts:52 handle"},
		attributes: map[string]any{"server.address": harbour}, users: 6, each: 2, days: 3},
	{app: "gangway", release: "2.9.0", typ: "TimeoutError", message: harbour + " did not answer within @00 ms",
		stack:      []string{"src/manifest.ts:20 passengersOf", "src/server.ts:60 handle"},
		attributes: map[string]any{"server.address": harbour}, users: 5, each: 2, days: 3},
	{app: "gangway", release: "2.9.0", typ: "TimeoutError", message: harbour + " did not answer within @00 ms",
		stack:      []string{"src/tides.ts:5 tideNow", "src/server.ts:71 handle"},
		attributes: map[string]any{"server.address": harbour}, users: 4, each: 1, days: 2},
	// Messages with booking codes, as the scanner logs them.
	{app: "gangway", release: "2.9.0", message: "booking % could not be read", users: 6, each: 2, days: 2},
	// All that has to do with storage is one issue, says the timetable.
	{app: "quayside", release: "4.2.1", typ: "StorageError", message: "the filter could not be kept",
		stack: []string{"src/search/filter.ts:40 keepFilter", "src/search/form.ts:18 submit",
			"src/main.ts:61 onClick"},
		grouping: map[string]any{"replace": []string{"storage"}}, users: 12, each: 2, days: 2.8},
	{app: "quayside", release: "4.2.1", typ: "StorageError", message: "no zoom was found",
		stack: []string{"src/berths/zoom.ts:52 lastZoom", "src/berths/map.ts:14 openMap",
			"src/berths/page.ts:7 showBerths"}, grouping: map[string]any{"replace": []string{"storage"}}, users: 9,
		each: 1, days: 2.8},
	// A helper with two callers: nobody has found out yet that it fails on their behalf.
	{app: "quayside", release: "4.2.1", typ: "FeedError", message: "the feed is empty",
		stack: []string{"src/net/feed.ts:22 takeFeed", "src/berths/plan.ts:8 loadPlan",
			"src/berths/page.ts:12 showBerths"}, users: 20, each: 1, days: 2.9, then: "berth-plan"},
	{app: "quayside", release: "4.2.1", typ: "FeedError", message: "the feed is empty",
		stack: []string{"src/net/feed.ts:22 takeFeed", "src/timetable/notices.ts:15 loadNotices",
			"src/timetable/table.ts:30 fillTable"}, users: 16, each: 2, days: 2.9},
	// The same code in two applications.
	{app: "quayside", release: "4.2.1", typ: "RangeError", message: "no such time zone: Marrow/Sound",
		stack: []string{"src/shared/clock.ts:17 hereNow"}, users: 8, each: 1, days: 2},
	{app: "gangway", release: "2.9.0", typ: "RangeError", message: "no such time zone: Marrow/Sound",
		stack: []string{"src/shared/clock.ts:17 hereNow"}, users: 3, each: 2, days: 2},
}

// Spoilt makes the events of an app that are grouped badly on purpose.
func Spoilt(lines []Line, app string, now time.Time) []json.RawMessage {
	var out []sent
	for i, s := range spoilts {
		base := slices.IndexFunc(lines, func(l Line) bool { return l.App == s.app && l.Release == s.release })
		if s.app != app || base < 0 {
			continue
		}
		rng := rand.New(rand.NewPCG(uint64(i), 4242))
		for u := range s.users {
			for range s.each {
				at := now.Add(-time.Duration(rng.Float64() * s.days * 24 * float64(time.Hour)))
				who := 1000 + (u*7+i*31)%420
				out = append(out, sent{at, person(s.line(lines[base], rng), rng, at, who)})
				if then := slices.IndexFunc(lines, func(l Line) bool {
					return l.App == s.app && l.Release == s.release && l.Doing == s.then
				}); then >= 0 {
					out = append(out, sent{at.Add(2 * time.Second),
						person(lines[then], rng, at.Add(2*time.Second), who)})
				}
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

// line is a recorded line with this error in the place of its own.
func (s spoilt) line(l Line, rng *rand.Rand) Line {
	event := map[string]any{}
	for _, keep := range []string{"time", "severity", "breadcrumbs"} {
		if v, ok := l.Event[keep]; ok {
			event[keep] = v
		}
	}
	event["handled"] = true
	attributes := map[string]any{"gate.request": fmt.Sprintf("r-%d", rng.IntN(1_000_000))}
	for k, v := range s.attributes {
		attributes[k] = v
	}
	event["attributes"] = attributes
	if s.grouping != nil {
		event["grouping"] = s.grouping
	}
	var message []byte
	for _, c := range []byte(s.message) {
		switch c {
		case '@':
			message = fmt.Appendf(message, "%d", 10+rng.IntN(40))
		case '%':
			message = append(message, code(rng)...)
		default:
			message = append(message, c)
		}
	}
	if s.typ == "" {
		event["message"], event["severity"] = string(message), "error"
	} else {
		var frames []any
		for _, f := range s.stack {
			var place, function string
			var line int
			for i := range f {
				if f[i] == ':' {
					place = f[:i]
					_, _ = fmt.Sscanf(f[i+1:], "%d %s", &line, &function) // it is written above
				}
			}
			frames = append(frames, map[string]any{"function": function, "file": place, "line": line, "own": true})
		}
		event["exceptions"] = []any{map[string]any{"type": s.typ, "message": string(message), "frames": frames}}
	}
	l.Event = event
	return l
}

// code is a booking code: letters and digits by turns.
func code(rng *rand.Rand) string {
	const letters, digits = "abcdefghkmnpqrstuvwxyz", "23456789"
	b := make([]byte, 8)
	for i := range b {
		if from := letters; i%3 == 0 {
			from = digits
			b[i] = from[rng.IntN(len(from))]
		} else {
			b[i] = from[rng.IntN(len(from))]
		}
	}
	return string(b)
}
