package testbed

import (
	"fmt"
	"strings"

	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/triage"
)

// Queue is a person's round in words: "1 new in 4.2.0; 2 regressed …".
func (b *Bench) Queue(person int64) string {
	b.T.Helper()
	r, err := b.Triage.Queue(b.T.Context(), 0, []*projects.Project{b.Project}, person, 50)
	if err != nil {
		b.T.Fatal(err)
	}
	if r.Waiting != len(r.Items) {
		b.T.Errorf("%d are waiting, %d are listed", r.Waiting, len(r.Items))
	}
	var out []string
	for _, x := range r.Items {
		var why []string
		for _, w := range x.Why {
			why = append(why, strings.TrimSpace(w.Kind+" "+w.Actor))
		}
		out = append(out, fmt.Sprintf("%d %s", x.Number, strings.Join(why, "+")))
	}
	return strings.Join(out, "; ")
}

func (b *Bench) Named1(list ...int64) (out []triage.IssueName) {
	for _, n := range list {
		out = append(out, triage.IssueName{Project: b.Project, Number: n})
	}
	return out
}
