package testbed

import (
	"encoding/json"
	"testing"
)

// sourcesMap is a map of one bundle with sources by path; position 1:1 comes from
// the fourth line of the first one.
func sourcesMap(t testing.TB, paths, texts []string) string {
	t.Helper()
	raw, err := json.Marshal(map[string]any{"version": 3, "sources": paths, "sourcesContent": texts,
		"names": []string{}, "mappings": "AAGE"})
	if err != nil {
		t.Fatal(err)
	}
	return string(raw)
}

// FollowMoves compares new issues with known ones, and lets counts arrive.
func (b *Bench) FollowMoves() {
	b.T.Helper()
	for more := true; more; {
		b.Units.Forget(b.Project.ID)
		var err error
		if more, err = b.Moves.FollowMoved(b.T.Context(), b.Project, b.Units, nil); err != nil {
			b.T.Fatal(err)
		}
	}
	b.Followed()
}

func (b *Bench) Release(version, path, text string, more ...string) {
	b.T.Helper()
	paths, texts := []string{path}, []string{text}
	for i := 0; i+1 < len(more); i += 2 {
		paths, texts = append(paths, more[i]), append(texts, more[i+1])
	}
	b.PushMap(version, sourcesMap(b.T, paths, texts))
	b.Units.Forget(b.Project.ID)
	b.Raws(Raw{"no port", version, "p-" + version, "", 1})
}
