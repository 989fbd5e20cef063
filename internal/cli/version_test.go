package cli

import (
	"bytes"
	"encoding/json"
	"runtime/debug"
	"strings"
	"testing"

	"firethorn/internal/api"
)

func TestVersion(t *testing.T) {
	set := func(list ...string) (out []debug.BuildSetting) {
		for i := 0; i < len(list); i += 2 {
			out = append(out, debug.BuildSetting{Key: list[i], Value: list[i+1]})
		}
		return out
	}
	for name, c := range map[string]struct {
		info *debug.BuildInfo
		want string
	}{
		"nothing is known": {nil, "firethorn " + api.Version},
		"no commit":        {&debug.BuildInfo{GoVersion: "go1.26.8"}, "firethorn " + api.Version + ", go1.26.8"},
		"a commit": {&debug.BuildInfo{GoVersion: "go1.26.8", Settings: set("vcs.revision", "0123456789abcdef0123", "vcs.time", "2026-12-01T08:00:00Z", "vcs.modified", "false")},
			"firethorn " + api.Version + ", commit 0123456789ab of 2026-12-01, go1.26.8"},
		"a commit and more": {&debug.BuildInfo{GoVersion: "go1.26.8", Settings: set("vcs.revision", "0123", "vcs.modified", "true")},
			"firethorn " + api.Version + ", commit 0123 of -, with changes that are not in it, go1.26.8"},
	} {
		if got := builtAs(c.info).String(); got != c.want {
			t.Errorf("%s: %s, not %s", name, got, c.want)
		}
	}
	var out, errs bytes.Buffer
	if code := Run(t.Context(), []string{"firethorn", "version", "--format", "json"}, strings.NewReader(""), &out, &errs); code != 0 {
		t.Fatal(code, errs.String())
	}
	var b built
	if err := json.Unmarshal(out.Bytes(), &b); err != nil || b.Version != api.Version {
		t.Errorf("%v: %s", err, out.String())
	}
}
