package alert_test

import (
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"
	_ "time/tzdata" // zones, where the machine has none

	"firethorn/internal/core/alert"
	"firethorn/internal/core/event"
	"firethorn/internal/core/rules"
)

var noon = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

func zone(t *testing.T, name string) *time.Location {
	t.Helper()
	z, err := time.LoadLocation(name)
	if err != nil {
		t.Fatal(err)
	}
	return z
}

// Quiet hours are those of the clock on the wall, also when it is set forward or back.
func TestQuietUntil(t *testing.T) {
	lisbon := zone(t, "Europe/Lisbon")
	night := &rules.Quiet{From: 22 * 60, To: 7 * 60, Zone: lisbon}
	early := &rules.Quiet{From: 0, To: 90, Zone: lisbon} // 01:30 is there twice, and once not at all
	for _, x := range []struct {
		what     string
		quiet    *rules.Quiet
		at, want string
	}{
		{"before them", night, "2026-11-23T21:59:00Z", ""},
		{"their first minute", night, "2026-11-23T22:00:00Z", "2026-11-24T07:00:00Z"},
		{"after midnight", night, "2026-11-24T06:59:00Z", "2026-11-24T07:00:00Z"},
		{"their end is outside", night, "2026-11-24T07:00:00Z", ""},
		{"in summer time", night, "2026-07-01T21:30:00Z", "2026-07-02T06:00:00Z"},
		{"the night the clock goes forward", night, "2026-03-28T23:00:00Z", "2026-03-29T06:00:00Z"},
		{"the night the clock goes back", night, "2026-10-24T22:00:00Z", "2026-10-25T07:00:00Z"},
		{"01:15 before the clock goes back", early, "2026-10-25T00:15:00Z", "2026-10-25T00:30:00Z"},
		{"01:15 after the clock went back", early, "2026-10-25T01:15:00Z", "2026-10-25T01:30:00Z"},
		{"an end that the clock skips", early, "2026-03-29T00:30:00Z", "2026-03-29T00:30:00Z"},
	} {
		at, err := time.Parse(time.RFC3339, x.at)
		if err != nil {
			t.Fatal(err)
		}
		got := alert.QuietUntil(x.quiet, at)
		if x.what == "an end that the clock skips" { // 01:30 is not there: the end lies within the hour after
			if got.Before(at) || got.Sub(at) > time.Hour {
				t.Errorf("%s: %s", x.what, got.UTC())
			}
			continue
		}
		text := ""
		if !got.IsZero() {
			text = got.UTC().Format(time.RFC3339)
		}
		if text != x.want {
			t.Errorf("%s: %q, want %q", x.what, text, x.want)
		}
	}
}

// From every minute of a year that has both changes of the clock, quiet hours end later than
// now, within a day, and outside of themselves.
func TestQuietUntil_AlwaysEnds(t *testing.T) {
	for _, z := range []string{"Europe/Lisbon", "America/New_York", "Australia/Lord_Howe", "Asia/Kathmandu"} {
		for _, q := range []rules.Quiet{{From: 22 * 60, To: 7 * 60}, {From: 0, To: 90}, {From: 100, To: 95}, {From: 150, To: 151}} {
			q.Zone = zone(t, z)
			for at := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC); at.Year() == 2026; at = at.Add(7 * time.Minute) {
				if end := alert.QuietUntil(&q, at); !end.IsZero() && (!end.After(at) || end.Sub(at) > 25*time.Hour) {
					t.Fatalf("%s from %d to %d: at %s they end at %s", z, q.From, q.To, at, end)
				}
			}
		}
	}
}

func TestNextDigest(t *testing.T) {
	for at, want := range map[string]string{"2026-11-23T08:59:00Z": "2026-11-23T09:00:00Z", "2026-11-23T09:00:00Z": "2026-11-24T09:00:00Z",
		"2026-06-01T09:00:00Z": "2026-06-02T08:00:00Z"} {
		now, err := time.Parse(time.RFC3339, at)
		if err != nil {
			t.Fatal(err)
		}
		if got := alert.NextDigest(zone(t, "Europe/Lisbon"), now).UTC().Format(time.RFC3339); got != want {
			t.Errorf("after %s: %s, want %s", at, got, want)
		}
	}
}

func TestRetry(t *testing.T) {
	var all time.Duration
	for i, want := range []time.Duration{2 * time.Second, 10 * time.Second, time.Minute, 5 * time.Minute, 30 * time.Minute, time.Hour, time.Hour} {
		if got := alert.Retry(i+1, 0, 0); got != want {
			t.Errorf("after try %d: %s, want %s", i+1, got, want)
		}
		all += want
		if got := alert.Retry(i+1, 1, 0); got <= want || got > want+want/10 {
			t.Errorf("after try %d with jitter: %s", i+1, got)
		}
	}
	if got := alert.Retry(1, 0, 2*time.Minute); got != 2*time.Minute {
		t.Errorf("as the receiver asked: %s", got)
	}
	if got := alert.Retry(1, 0, 1000*time.Hour); got != alert.GiveUpAfter {
		t.Errorf("a receiver that asks for too much: %s", got)
	}
	for status, want := range map[int]bool{200: false, 301: true, 400: true, 404: true, 408: false, 425: false, 429: false, 500: false, 503: false} {
		if alert.Final(status) != want {
			t.Errorf("%d is final: %v", status, !want)
		}
	}
	for header, want := range map[string]time.Duration{"": 0, "120": 2 * time.Minute, "x": 0, "-1": 0, "Mon, 23 Nov 2026 12:01:00 GMT": time.Minute} {
		if got := alert.RetryAfter(header, noon); got != want {
			t.Errorf("Retry-After %q: %s, want %s", header, got, want)
		}
	}
}

// The signature of the specification's own example.
func TestSign(t *testing.T) {
	const secret, id, body = "whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw", "msg_p5jXN8AQM9LWM0D4loKWxJek", `{"test": 2432232314}`
	at := time.Unix(1614265330, 0)
	sign, err := alert.Sign(secret, id, at, []byte(body))
	if err != nil || sign != "v1,g0hM9SsE+OTPJTGt/tmIKtSyZlE3uFJELVlNIOLJ1OE=" {
		t.Fatalf("%q, %v", sign, err)
	}
	good := alert.Signed{ID: id, Timestamp: "1614265330", Signatures: "v1,AAAA " + sign, Body: []byte(body)}
	if err := alert.Verify(secret, good, at); err != nil {
		t.Errorf("a good one: %v", err)
	}
	for what, change := range map[string]func(*alert.Signed){
		"another body": func(s *alert.Signed) { s.Body = []byte("{}") }, "another id": func(s *alert.Signed) { s.ID = "msg_x" },
		"another time": func(s *alert.Signed) { s.Timestamp = "1614265331" }, "no signature": func(s *alert.Signed) { s.Signatures = "" },
		"no time": func(s *alert.Signed) { s.Timestamp = "" },
	} {
		bad := good
		change(&bad)
		if err := alert.Verify(secret, bad, at); !errors.Is(err, alert.ErrSignature) {
			t.Errorf("%s: %v", what, err)
		}
	}
	if err := alert.Verify(secret, good, at.Add(6*time.Minute)); !errors.Is(err, alert.ErrSignature) {
		t.Errorf("one that is old: %v", err)
	}
	a, b := alert.NewSecret(), alert.NewSecret()
	if raw, err := base64.StdEncoding.DecodeString(strings.TrimPrefix(a, "whsec_")); a == b || err != nil || len(raw) != 32 {
		t.Errorf("secrets %q and %q", a, b)
	}
}

func message() alert.Message {
	return alert.Message{Trigger: "threshold", Project: "quayside", Rules: []string{"too many people"}, Why: "It reached a threshold: 31 users in 2 hours (limit 30).",
		Issue: &alert.Issue{ID: "quayside/9", Headline: "RangeError in format", Place: "src/timetable/fares.ts:15", State: "new", Owner: "Maren Holt", Users: 160, Events: 426, FirstSeen: noon, FirstRelease: "4.2.0"},
		Event: &alert.Event{ID: "0193a1f2", Release: "4.2.0", Environment: "production", Exception: "RangeError: toFixed() digits", Frames: []string{"format (src/timetable/fares.ts:15)"}},
		Links: alert.Links{Issue: "https://firethorn.example/p/quayside/issues/9", Accept: "https://firethorn.example/p/quayside/issues/9?do=accept", Unsubscribe: "https://firethorn.example/unsubscribe?x=1"}}
}

// Subject and first line say what, where, how many, since when, and who has it.
func TestMessage_HasAllThatAReaderNeeds(t *testing.T) {
	m := message()
	if got, want := m.Subject(), "Threshold reached in quayside: RangeError in format, 160 users"; got != want {
		t.Errorf("%q, want %q", got, want)
	}
	if got, want := m.First(), "RangeError in format at src/timetable/fares.ts:15 in production 4.2.0: 160 users, 426 events since 23 Nov 12:00 UTC; Maren Holt has it."; got != want {
		t.Errorf("%q, want %q", got, want)
	}
	text, chat := m.Text(), m.Chat()
	for _, want := range []string{m.First(), m.Why, "format (src/timetable/fares.ts:15)", "Issue:          https://firethorn.example/p/quayside/issues/9\n", "?do=accept", `"too many people"`, "/unsubscribe?x=1"} {
		if !strings.Contains(text, want) {
			t.Errorf("the text lacks %q:\n%s", want, text)
		}
		if !strings.Contains(m.HTML(), strings.NewReplacer("&", "&amp;", `"`, "&#34;").Replace(strings.TrimPrefix(strings.TrimSpace(want), "Issue:          "))) {
			t.Errorf("the HTML lacks %q", want)
		}
	}
	if n := strings.Count(chat, "\n"); n > 4 || !strings.Contains(chat, "fares.ts:15") {
		t.Errorf("a chat room gets %d lines: %s", n+1, chat)
	}
	m.Zone = zone(t, "Europe/Lisbon")
	if !strings.Contains(m.First(), "23 Nov 12:00 WET") {
		t.Errorf("in a zone: %s", m.First())
	}
}

// What an event says can add no line to a subject, no tag to a mail and nobody to a chat.
func TestMessage_IsPlain(t *testing.T) {
	m := message()
	m.Issue.Headline = "<b>Error</b>\r\nBcc: all@marrowsound.example\n<!channel> @everyone \u202e `x`" + strings.Repeat(" long", 100)
	m.Event.Frames = []string{"<script>alert(1)</script>\nx"}
	subject, chat := m.Subject(), m.Chat()
	if strings.ContainsAny(subject, "\r\n\u202e") || len([]rune(subject)) > 110 || !strings.HasSuffix(subject, ", 160 users") {
		t.Errorf("subject %q", subject)
	}
	for _, bad := range []string{"<", ">", "@everyone", "\u202e", "`"} {
		if strings.Contains(chat, bad) {
			t.Errorf("the chat holds %q: %s", bad, chat)
		}
	}
	if html := m.HTML(); strings.Contains(html, "<b>Error") || strings.Contains(html, "<script>") {
		t.Error(html)
	}
}

func TestMessage_Digest(t *testing.T) {
	m := alert.Message{Trigger: "digest", Project: "quayside", Rules: []string{"a", "b"}, More: 7}
	for i := range 12 {
		m.Lines = append(m.Lines, alert.Line{Text: fmt.Sprint("New in quayside: error ", i), Link: fmt.Sprint("https://firethorn.example/", i)})
	}
	if got := m.Subject(); got != "quayside: 19 alerts" {
		t.Error(got)
	}
	if text := m.Text(); strings.Count(text, "https://") != 12 || !strings.Contains(text, "And 7 more alerts.") || !strings.Contains(text, `rules "a", "b"`) {
		t.Error(text)
	}
	if chat := m.Chat(); strings.Count(chat, "https://") != 10 || !strings.Contains(chat, "and 9 more alerts") {
		t.Error(chat)
	}
}

// What a message says without an issue is said once, and whole where there is room.
func TestMessage_WithoutIssue(t *testing.T) {
	why := alert.Why("release.worse", "", "4.3.0 is worse than 4.2.1 in production: 300 of 900 sessions crashed (33.33 %), 15 of 3,160 of the baseline (0.47 %).")
	m := alert.Message{Trigger: "release.worse", Project: "quayside", Why: why}
	for what, got := range map[string]string{"chat": m.Chat(), "text": m.Text(), "description": m.Description()} {
		if strings.Count(got, "worse than") != 1 || !strings.Contains(got, "of the baseline (0.47 %).") {
			t.Errorf("%s: %s", what, got)
		}
	}
	if got := m.Subject(); !strings.HasPrefix(got, "Worse release in quayside: 4.3.0 is") || len([]rune(got)) > 110 {
		t.Error(got)
	}
	if got := (alert.Message{Trigger: "digest", Project: "quayside", More: 3}).Chat(); got != "quayside: 3 alerts\nand 3 more alerts" {
		t.Error(got)
	}
}

func TestWhy(t *testing.T) {
	for _, c := range []struct{ trigger, text, want string }{
		{"new", "", "This issue was never seen before."},
		{"regressed", "came back in 4.2.1", "It was fixed and came back in 4.2.1."},
		{"regressed", "seen by Oke Farrow", "It was fixed and came back: seen by Oke Farrow."},
		{"woken", "woken: 3 more events came since it was parked", "It was parked and woke up: 3 more events came since it was parked."},
		{"surging", "surging: 40 events in the last hour, where none are usual", "40 events in the last hour, where none are usual."},
		{"fixed", "fixed in 4.2.1", "Fixed in 4.2.1."},
		{"holding", "the fix is holding, 97 %", "The fix is holding, 97 %."},
		{"assigned", "assigned to Oke Farrow", "Assigned to Oke Farrow."},
		{"commented", "commented: in Lisbon it is 23:00.", "Vera Lund wrote: commented: in Lisbon it is 23:00."},
		{"threshold", "3 users in 1 hour (limit 3)", "It reached a threshold: 3 users in 1 hour (limit 3)."},
	} {
		if got := alert.Why(c.trigger, "Vera Lund", c.text); got != c.want {
			t.Errorf("%s %q: %q, want %q", c.trigger, c.text, got, c.want)
		}
	}
}

// An envelope is a CloudEvent of version 1.0: required attributes, subject and data.
func TestCloudEvent(t *testing.T) {
	raw, err := json.Marshal(alert.CloudEvent(message(), "0193a1f2-1", noon))
	if err != nil {
		t.Fatal(err)
	}
	var e struct {
		SpecVersion, ID, Source, Type, Subject, Time, DataContentType string
		Data                                                          struct {
			Alert struct{ Name, Why string }
			Issue struct {
				ID    string
				Owner *string
			}
			Links map[string]string
		}
	}
	if err := json.Unmarshal(raw, &e); err != nil {
		t.Fatal(err)
	}
	if e.SpecVersion != "1.0" || e.ID != "0193a1f2-1" || e.Source != "/projects/quayside" || e.Type != "firethorn.issue.threshold" || e.Subject != "quayside/9" || e.Time != "2026-11-23T12:00:00Z" ||
		e.Data.Alert.Name != "too many people" || e.Data.Issue.ID != "quayside/9" || e.Data.Issue.Owner == nil || e.Data.Links["accept"] == "" {
		t.Errorf("%s", raw)
	}
	for trigger, want := range map[string]string{"new": "firethorn.issue.new", "release.worse": "firethorn.release.worse", "symbols.missing": "firethorn.symbols.missing", "digest": "firethorn.digest", "test": "firethorn.test"} {
		if got := alert.Type(trigger); got != want {
			t.Errorf("%s: %s", trigger, got)
		}
	}
}

// The exception that the headline names is shown, not the one that wraps it.
func TestBlamed(t *testing.T) {
	e := &event.Event{Exceptions: []event.Exception{{Type: "TimetableError", Message: "week 52"}, {Type: "TypeError", Message: "no tide"}}}
	frames := [][]event.Frame{
		{{Function: "drawWeek", File: "src/draw.ts", Line: 24, Kind: event.Own}},
		{{Function: "run", File: "vendor.js", Kind: event.Vendor}, {Function: "tideAt", File: "src/tides.ts", Line: 17, Kind: event.Own, Origin: true},
			{Function: "next", File: "src/tides.ts", Kind: event.Own}, {Function: "main", Kind: event.Own}},
	}
	exception, own := alert.Blamed(e, frames, 2)
	if exception != "TypeError: no tide" || !slices.Equal(own, []string{"tideAt (src/tides.ts:17)", "next (src/tides.ts)"}) {
		t.Errorf("%s %q", exception, own)
	}
	if exception, own := alert.Blamed(e, frames[:1], 2); exception != "TimetableError: week 52" || len(own) != 1 {
		t.Errorf("without an origin: %s %q", exception, own)
	}
	unread := [][]event.Frame{{{Function: "t.n", File: "assets/app-3f2.js", Line: 1, Column: 9121, Kind: event.Own, WhyRaw: "no symbols were pushed"}}}
	if _, own := alert.Blamed(e, unread, 2); len(own) != 1 || own[0] != "t.n (assets/app-3f2.js:1:9121)" {
		t.Errorf("a frame that was not resolved: %q", own)
	}
	if exception, own := alert.Blamed(&event.Event{Message: "notifications were refused"}, nil, 2); exception != "" || own != nil {
		t.Errorf("a message: %s %q", exception, own)
	}
}
