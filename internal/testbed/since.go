package testbed

import (
	"fmt"
)

// Sessions reports so many clean sessions in a release.
func (b *Bench) Sessions(release string, n int) {
	b.T.Helper()
	var lines []string
	for i := range n {
		lines = append(lines, fmt.Sprintf(`{"id":"%s-%d","outcome":"clean","resource":{"service.version":%q}}`,
			release, i, release))
	}
	b.AddSessions(0, lines...)
}

func (b *Bench) Holding(number int64) string {
	b.T.Helper()
	is := b.Issue(number)
	h, err := b.Triage.Holding(b.T.Context(), b.Project.ID, is.ID, is.Status)
	if err != nil {
		b.T.Fatal(err)
	}
	if h == nil {
		return ""
	}
	return h.Text
}
