package query_test

import (
	"testing"
	"time"

	"firethorn/internal/core/query"
)

func TestWindowOf(t *testing.T) {
	oslo, err := time.LoadLocation("Europe/Oslo")
	if err != nil {
		t.Fatal(err)
	}
	now := time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
	utc := func(day, hour, minute int) time.Time { return time.Date(2026, 11, day, hour, minute, 0, 0, time.UTC) }
	for text, want := range map[string]query.Span{
		"all": {}, "36h": {From: now.Add(-36 * time.Hour)},
		"2026-11-01..2026-11-02":               {From: utc(1, 0, 0).Add(-time.Hour), To: utc(2, 23, 0)},
		"2026-11-05":                           {From: utc(4, 23, 0), To: utc(5, 23, 0)},
		"2026-11-05..":                         {From: utc(4, 23, 0)},
		"2026-11-05T10:00..2026-11-05T11:30":   {From: utc(5, 9, 0), To: utc(5, 10, 30)},
		"2026-11-05T10:00Z..2026-11-05T11:30Z": {From: utc(5, 10, 0), To: utc(5, 11, 30)},
		"2026-11-05T10:00Z..2026-11-05":        {From: utc(5, 10, 0), To: utc(5, 23, 0)},
	} {
		from, to, ok := query.WindowOf(text, now, oslo)
		if !ok || !from.Equal(want.From) || !to.Equal(want.To) {
			t.Errorf("%s: from %v to %v, %v; want %v", text, from.UTC(), to.UTC(), ok, want)
		}
	}
	for _, text := range []string{"", "0d", "soon", "2026-11-05..2026-11-01", "2026-11-05T10:00Z", "2026-11-05T10:00Z..2026-11-05T10:00Z", "2026-13-01", "..2026-11-01"} {
		if _, _, ok := query.WindowOf(text, now, oslo); ok {
			t.Errorf("%q is taken for a window", text)
		}
	}
}
