package session

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"
)

var noon = time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC)

func message(t *testing.T, text string) *Message {
	t.Helper()
	m, err := Decode(json.RawMessage(text), nil)
	if err != nil {
		t.Fatalf("%s: %v", text, err)
	}
	return m
}

func TestAdd_AnyOrderLeadsToTheSameSession(t *testing.T) {
	user := func(n int64) *int64 { return &n }
	list := []struct {
		text    string
		started time.Time
		user    *int64
	}{
		{`{"id":"s","sequence":0,"outcome":"running","resource":{"service.version":"4.2.1"}}`, noon, nil},
		{`{"id":"s","sequence":1,"outcome":"faulty","duration_ms":5000,"resource":{"service.version":"4.2.1"}}`, noon, user(7)},
		{`{"id":"s","sequence":2,"outcome":"running","duration_ms":90000}`, noon.Add(-time.Second), user(9)},
		{`{"id":"s","sequence":3,"outcome":"clean","duration_ms":60000,"resource":{"service.version":"4.3.0"}}`, noon.Add(time.Hour), nil},
		{`{"id":"s","sequence":1,"outcome":"faulty","duration_ms":5000,"resource":{"service.version":"4.2.1"}}`, noon, user(7)}, // again
	}
	var want string
	for range 200 {
		var s Session
		for _, i := range rand.Perm(len(list)) {
			s.Add(message(t, list[i].text), list[i].started, noon, list[i].user)
		}
		got := fmt.Sprintln(s.Started, s.Duration, s.Outcome(), s.Sequence, *s.User, s.Release, s.Environment)
		if want == "" {
			want = got
		}
		if got != want {
			t.Fatalf("%s\nand in another order\n%s", want, got)
		}
	}
	if !strings.HasPrefix(want, noon.Add(-time.Second).String()+" 1m30s faulty 3 9 4.2.1") {
		t.Error(want)
	}
}

func TestAdd_TakesBackThatItWasCutOff(t *testing.T) {
	var s Session
	s.Add(message(t, `{"id":"s","outcome":"running"}`), noon, noon, nil)
	s.Cut = true
	if s.Outcome() != CutOff {
		t.Error(s.Outcome())
	}
	s.Add(message(t, `{"id":"s","outcome":"running","sequence":1}`), noon, noon.Add(time.Hour), nil)
	if s.Outcome() != Running {
		t.Error(s.Outcome())
	}
	s.Add(message(t, `{"id":"s","outcome":"clean","sequence":2}`), noon, noon.Add(time.Hour), nil)
	s.Cut = true // what has ended is not cut off
	if s.Outcome() != Clean {
		t.Error(s.Outcome())
	}
}

func TestDecode_MendsWhatClocksDoAndRefusesTheRest(t *testing.T) {
	if m := message(t, `{"id":"s","outcome":"clean","duration_ms":-40,"sequence":-1}`); m.Duration != 0 || m.Sequence != 0 {
		t.Error(m)
	}
	if m := message(t, `{"id":"s","outcome":"clean","duration_ms":1e30,"sequence":1e30,"started":7}`); m.Duration != longestDuration || m.Sequence != 1<<32-1 || m.Started != "" {
		t.Error(m)
	}
	for text, word := range map[string]string{
		`{"outcome":"clean"}`:            "needs an id",
		`{"id":7,"outcome":"clean"}`:     "needs an id",
		`{"id":" ","outcome":"clean"}`:   "needs an id",
		`{"id":"s"}`:                     "the outcome",
		`{"id":"s","outcome":"cut-off"}`: "the outcome",
		`{"id":"s","outcome":["clean"]}`: "the outcome",
		`[]`:                             "does not fit",
		`{"id":"s","outcome":"clean","duration_ms":"x"}`:  "no session",
		`{"id":"` + strings.Repeat("s", 300) + `"}`:       "200 are the most",
		`{"id":"s","outcome":"clean","attributes":"no"}`:  "attributes must",
		`{"id":"s","outcome":"clean","duration_ms":true}`: "does not fit",
	} {
		if _, err := Decode(json.RawMessage(text), nil); err == nil || !strings.Contains(err.Error(), word) {
			t.Errorf("%.60s: %v", text, err)
		}
	}
}

func TestDecode_CountedSessions(t *testing.T) {
	m := message(t, `{"id":"p","sequence":4,"minute":"2026-11-24T12:00:00Z","counts":{"clean":998,"faulty":2},"duration_ms":{"p50":12,"p95":80.5},"resource":{"service.version":"2.8.0"}}`)
	if c := m.Counted; c == nil || *c != (Counted{Clean: 998, Faulty: 2, P50: 12, P95: 80}) || m.Sequence != 4 || m.About.Release() != "2.8.0" || m.Started != "2026-11-24T12:00:00Z" {
		t.Errorf("%+v %+v", m, m.Counted)
	}
	for text, want := range map[string]string{
		`{"id":"p","counts":{"clean":1}}`:                                              "minute",
		`{"id":"p","minute":"today","counts":{"clean":1}}`:                             "minute",
		`{"id":"p","minute":"2026-11-24T12:00:00Z","counts":{}}`:                       "counts needs",
		`{"id":"p","minute":"2026-11-24T12:00:00Z","counts":{"clean":-1}}`:             "counts needs",
		`{"id":"p","minute":"2026-11-24T12:00:00Z","counts":{"clean":1.5}}`:            "counts needs",
		`{"id":"p","minute":"2026-11-24T12:00:00Z","counts":{"clean":"1"}}`:            "counts needs",
		`{"id":"p","minute":"2026-11-24T12:00:00Z","counts":{"clean":1e300}}`:          "counts needs",
		`{"id":"p","minute":"2026-11-24T12:00:00Z","counts":{"clean":1e9}}`:            "at most 1000000",
		`{"minute":"2026-11-24T12:00:00Z","counts":{"clean":1}}`:                       "needs an id",
		`{"id":"p","minute":"2026-11-24T12:00:00Z","counts":[1],"outcome":"sideways"}`: "outcome",
	} {
		if _, err := Decode(json.RawMessage(text), nil); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", text, err)
		}
	}
}
