package issue

import (
	"testing"
	"time"
)

func TestNeededSince(t *testing.T) {
	now, before := time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC), time.Date(2026, 11, 22, 8, 0, 0, 0, time.UTC)
	for _, c := range []struct {
		name    string
		since   time.Time
		was, is State
		need    Need
		want    time.Time
	}{
		{"a new issue", time.Time{}, "", New, NeedByState, now},
		{"a part that is parked from the start", time.Time{}, "", Parked, NeedByState, time.Time{}},
		{"accepted by a rule", before, New, Accepted, NeedByState, time.Time{}},
		{"came back", time.Time{}, Fixed, Regressed, NeedByState, now},
		{"its fix got a release", before, Fixed, Fixed, NeedByState, before},
		{"new and given to somebody", before, New, New, NeedByState, before},
		{"grown while it is accepted", time.Time{}, Accepted, Accepted, NeedNow, now},
		{"grown again", before, New, New, NeedNow, now},
		{"a person assigned it while it was new", before, New, New, NeedNone, time.Time{}},
		{"a person reopened it", time.Time{}, Fixed, Accepted, NeedNone, time.Time{}},
	} {
		if got := NeededSince(c.since, c.was, c.is, c.need, now); !got.Equal(c.want) {
			t.Errorf("%s: %v, want %v", c.name, got, c.want)
		}
	}
}
