package events

import (
	"cmp"
	"context"
	"math/rand/v2"
	"slices"
	"testing"
)

// TestWalk_FindsWhatReadingEverythingFinds: by chance, with partitions that overlap since events came
// late, and days that another class of retention put elsewhere.
func TestWalk_FindsWhatReadingEverythingFinds(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 9))
	for trial := range 2000 {
		all, spans := someDays(r)
		w := walk{direction: []string{Newest, oldest}[trial%2], limit: 1 + r.IntN(30)}
		sign := map[string]int{Newest: -1, oldest: 1}[w.direction]
		inOrder := func(a, b Key) int { return sign * cmp.Compare(a.Position, b.Position) }
		w.read = func(_ context.Context, days condition) ([]Key, error) {
			got := slices.SortedFunc(slices.Values(selected(all, days)), inOrder)
			return got[:min(len(got), w.limit)], nil
		}
		got, err := w.keys(t.Context(), spans)
		want := slices.SortedFunc(slices.Values(all), inOrder)
		want = want[:min(len(want), w.limit)]
		if err != nil || !slices.Equal(got, want) {
			t.Fatalf("trial %d, %s, limit %d: %v %v, want %v", trial, w.direction, w.limit, got, err, want)
		}
	}
}

// TestWalk_ReadsFewPartitions: the newest of many days answer.
func TestWalk_ReadsFewPartitions(t *testing.T) {
	var spans []span
	for day := range 365 {
		spans = append(spans, span{1000 + day, int64(100 * day), int64(100*day + 99)})
	}
	var read []condition
	w := walk{direction: Newest, limit: 50}
	w.read = func(_ context.Context, days condition) (list []Key, err error) {
		read = append(read, days)
		for i := range 50 {
			list = append(list, Key{int64(36_499 - i), 1364})
		}
		return list, nil
	}
	_, err := w.keys(t.Context(), spans)
	if err != nil || len(read) != 1 || !slices.Equal(read[0].args, []any{1364, 1364}) {
		t.Errorf("%+v %v", read, err)
	}
}

// someDays makes events in day partitions: most in the order of days.
func someDays(r *rand.Rand) (all []Key, spans []span) {
	by := map[int]*span{}
	for position := range int64(r.IntN(400)) {
		day := 100 + int(position)/(1+r.IntN(3)+10)
		switch r.IntN(20) {
		case 0:
			day -= r.IntN(30)
		case 1:
			day += 335
		}
		all = append(all, Key{position + 1, day})
		x := by[day]
		if x == nil {
			x = &span{day, position + 1, position + 1}
			by[day] = x
		}
		x.last = position + 1
	}
	for _, x := range by {
		spans = append(spans, *x)
	}
	slices.SortFunc(spans, func(a, b span) int { return cmp.Compare(a.day, b.day) })
	return all, spans
}

// selected are the events whose days a condition selects.
func selected(all []Key, days condition) (out []Key) {
	for _, k := range all {
		for i := 0; i < len(days.args); i += 2 {
			if k.KeepDay >= days.args[i].(int) && k.KeepDay <= days.args[i+1].(int) {
				out = append(out, k)
			}
		}
	}
	return out
}
