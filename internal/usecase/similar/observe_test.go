package similar_test

import (
	"testing"
	"time"

	"firethorn/internal/pipeline"
	"firethorn/internal/testbed"
	"firethorn/internal/usecase/similar"
)

func TestObserve(t *testing.T) {
	b := testbed.Open(t, testbed.Noon)
	for i := range 3 {
		b.Now = testbed.Noon.Add(time.Duration(i) * time.Hour)
		b.File(testbed.Event{Function: "a", At: b.Now}, testbed.Event{Function: "b", At: b.Now})
	}
	var got []int64
	all, err := b.Similar.Observe(t.Context(), b.Project.ID, testbed.Noon.Add(30*time.Minute), 3, func(e *similar.Observation) error {
		if _, err := pipeline.Open(e.Raw); err != nil {
			return err
		}
		got = append(got, e.Position)
		return nil
	})
	if err != nil || all != 3 || len(got) != 3 || got[0] != 6 || got[2] != 4 {
		t.Errorf("%v of %d, %v", got, all, err)
	}
	got = nil
	all, err = b.Similar.Observe(t.Context(), b.Project.ID, testbed.Noon.Add(90*time.Minute), 100, func(e *similar.Observation) error { got = append(got, e.Position); return nil })
	if err != nil || all != 2 || len(got) != 2 {
		t.Errorf("since a time: %v of %d, %v", got, all, err)
	}
}
