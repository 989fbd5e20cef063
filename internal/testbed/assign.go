package testbed

import (
	"firethorn/internal/core/rules"
)

func (b *Bench) Rules(text string) {
	b.T.Helper()
	set, faults := rules.Read(text)
	if len(faults) > 0 {
		b.T.Fatal(faults)
	}
	b.Project.Project.Rules = set
}
