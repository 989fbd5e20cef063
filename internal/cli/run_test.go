package cli

import (
	"bytes"
	"strings"
	"testing"

	"firethorn/internal/cli/command"
)

func TestRun_SaysWhatIsWrongWithACommandLine(t *testing.T) {
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	for line, want := range map[string]string{
		"isue list":                 `there is no command "firethorn isue"; did you mean issue?`,
		"issue lst":                 "did you mean list?",
		"sign-in":                   `there is no command "firethorn sign-in"; firethorn --help lists them`,
		"issue list --limit many":   "firethorn issue list --help shows how it is used",
		"issue show":                "needs",
		"issue list more":           `does not know what to do with "more"`,
		"--format xml project list": "--format is text or json",
		"project create":            "needs",
		"--server http://127.0.0.1:1 --token x issue show tide --project q": "is no issue",
		"issue list --server http://[x":                                     "",
	} {
		var out, errs bytes.Buffer
		code := Run(t.Context(), append([]string{"firethorn"}, strings.Fields(line)...), strings.NewReader(""), &out, &errs)
		if code != command.ExitUse && code != command.ExitRefused || !strings.Contains(errs.String(), want) || !strings.HasPrefix(errs.String(), "firethorn: ") {
			t.Errorf("firethorn %s: exit %d, %q, want %q", line, code, errs.String(), want)
		}
	}
}

// Help fits a terminal of 80 columns or breaks at words, and names an example.
func TestHelp_OfEveryCommandTeaches(t *testing.T) {
	seen := 0
	var walk func(names []string)
	walk = func(names []string) {
		var out, errs bytes.Buffer
		if code := Run(t.Context(), append(append([]string{"firethorn"}, names...), "--help"), strings.NewReader(""), &out, &errs); code != command.ExitDone {
			t.Errorf("%v --help: exit %d, %s", names, code, errs.String())
			return
		}
		seen++
		if !strings.Contains(out.String(), "USAGE:") || strings.Contains(out.String(), "%!") {
			t.Errorf("%v --help:\n%s", names, out.String())
		}
		c := firethorn()
		for _, n := range names {
			c = c.Command(n)
		}
		for _, sub := range c.Commands {
			if sub.Name != "help" {
				walk(append(names[:len(names):len(names)], sub.Name))
			}
		}
	}
	walk(nil)
	if seen < 60 {
		t.Errorf("%d commands were asked for their help", seen)
	}
}
