package cache

import (
	"errors"
	"testing"
	"testing/synctest"
	"time"
)

// One answer that was very slow is remembered at once.
func TestMemo_RemembersWhatIsVerySlow(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		m, asked := NewMemo[int](1000, func(int) int { return 8 }), 0
		for range 3 {
			v, err := m.Get(1, func() (int, error) {
				time.Sleep(verySlow)
				asked++
				return asked, nil
			})
			if v != 1 || err != nil {
				t.Errorf("%d, %v", v, err)
			}
		}
		time.Sleep(maxKept + 1)
		if v, err := m.Get(1, func() (int, error) { return 9, nil }); v != 9 || err != nil {
			t.Errorf("later: %d, %v", v, err)
		}
	})
}

func TestMemo(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		m := NewMemo[int](1000, func(int) int { return 8 })
		asked := 0
		ask := func(takes time.Duration, err error) int {
			v, got := m.Get(1, func() (int, error) {
				time.Sleep(takes)
				asked++
				return asked, err
			})
			if !errors.Is(got, err) {
				t.Errorf("%v, want %v", got, err)
			}
			return v
		}
		away := errors.New("away")
		for i, c := range []struct {
			takes time.Duration
			err   error
			want  int
			why   string
		}{
			{slowAnswer / 2, nil, 1, ""}, {slowAnswer, away, 2, "what was quick is remembered"}, {slowAnswer, nil, 3, "what failed is remembered"}, {slowAnswer / 2, nil, 4, "what was slow once is remembered"},
			{slowAnswer, nil, 5, "what was quick is remembered"}, {slowAnswer, nil, 6, "what was slow once is remembered"}, {slowAnswer, nil, 6, "what was slow twice is asked again"},
		} {
			if v := ask(c.takes, c.err); v != c.want {
				t.Errorf("%d: %s: %d, want %d", i, c.why, v, c.want)
			}
		}
		time.Sleep(keptTimes*slowAnswer + 1)
		if v := ask(slowAnswer, nil); v != 7 {
			t.Errorf("what was slow is remembered for ever: %d", v)
		}
	})
}

func TestCache_HoldsItsBytes(t *testing.T) {
	c := New(10_000, func(_ int, v []byte) int { return len(v) })
	for i := range 100 {
		c.Put(i, make([]byte, 900))
		c.Len()
	}
	held := 0
	for i := range 100 {
		if v, ok := c.Get(i); ok {
			held += len(v) + overhead
		}
	}
	if held == 0 || held > 10_000 {
		t.Errorf("%d bytes are held", held)
	}
	c.Clear()
	for i := range 100 {
		if _, ok := c.Get(i); ok {
			t.Errorf("%d is held after Clear", i)
		}
	}
}
