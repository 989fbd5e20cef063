package cli

import (
	"bytes"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"firethorn/internal/core/fault"
)

// What applications send must not take over the terminal of who reads it.
func TestPlain_LeavesNothingThatATerminalActsOn(t *testing.T) {
	for in, want := range map[string]string{
		"no tide table for day 366": "no tide table for day 366",
		"\x1b[2Jgone":               `\u001b[2Jgone`,
		"a\tb":                      "a b",
		"a\r\nb":                    `a\u000d\u000ab`,
		"\u202eevil":                `\u202eevil`,
		"\u2066a\u2069":             `\u2066a\u2069`,
		"\x9b31m":                   "\x9b31m", // no character: a terminal shows it as one that is not known
		"Größe 潮汐":                  "Größe 潮汐",
		"":                          "",
	} {
		if got := plain(in); got != want {
			t.Errorf("plain(%q) = %q, want %q", in, got, want)
		}
	}
	if got := lines("a\n\tb\x07"); got != "a\n    b\\u0007" {
		t.Errorf("lines: %q", got)
	}
}

func TestTable_AlignsItsColumns(t *testing.T) {
	var out bytes.Buffer
	table(&out, func(row func(...any)) {
		row("ISSUE", "EVENTS", "HEADLINE")
		row("quayside/1", figure(1204), "no tide\ttable")
		row("quayside/12", figure(3), "\x1b[31mred")
	})
	want := "ISSUE        EVENTS   HEADLINE\nquayside/1     1,204  no tide table\nquayside/12        3  \\u001b[31mred\n"
	if out.String() != want {
		t.Errorf("got\n%s\nwant\n%s", out.String(), want)
	}
}

func TestCount_IsShortAndExactWhereItMatters(t *testing.T) {
	for n, want := range map[int64]string{0: "0", 999: "999", 1000: "1,000", 9_999: "9,999", 10_000: "10.0 k", 12_440: "12.4 k", 999_900: "999.9 k", 1_000_000: "1.0 M", 1_260_000: "1.3 M"} {
		if got := count(n); got != want {
			t.Errorf("count(%d) = %q, want %q", n, got, want)
		}
	}
	for n, want := range map[int64]string{0: "0 events", 1: "1 event", 1204: "1,204 events"} {
		if got := counted(n, "event"); got != want {
			t.Errorf("counted(%d) = %q, want %q", n, got, want)
		}
	}
	if one, many := amount(1, "event"), amount(12, "event"); len(one) != len(many) {
		t.Errorf("a column of amounts does not line up: %q and %q", one, many)
	}
}

func TestAgo(t *testing.T) {
	for d, want := range map[time.Duration]string{10 * time.Second: "just now", 90 * time.Second: "1 min ago", 3 * time.Hour: "3 h ago", 47 * time.Hour: "47 h ago", 49 * time.Hour: "2 days ago"} {
		if got := ago(time.Now().Add(-d)); got != want {
			t.Errorf("%s: %q, want %q", d, got, want)
		}
	}
}

// Scripts go by the exit code: 0 done, 1 the answer is no, 2 wrong use, 3 could not
// reach or was refused.
func TestCodeOf(t *testing.T) {
	for code, want := range map[fault.Code]int{fault.AnswerIsNo: exitNo, fault.MapBroken: exitNo, fault.NotFound: exitNo, fault.Conflict: exitNo, fault.Stale: exitNo,
		fault.BadInput: exitNo, fault.WrongUse: exitUse, fault.NoServer: exitRefused, fault.Unauthorized: exitRefused, fault.Forbidden: exitRefused, fault.Unavailable: exitRefused, fault.TooMany: exitRefused} {
		if got := codeOf(fmt.Errorf("within: %w", fault.New(code, "why"))); got != want {
			t.Errorf("%s: %d, want %d", code, got, want)
		}
	}
	if got := codeOf(fmt.Errorf("within: %w", usage("--keep %q is no number", "x"))); got != exitUse {
		t.Errorf("wrong use: %d", got)
	}
	if got := codeOf(errors.New("else")); got != exitNo {
		t.Errorf("something else: %d", got)
	}
}

func TestRun_SaysWhatIsWrongWithACommandLine(t *testing.T) {
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	for line, want := range map[string]string{
		"isue list":                 `there is no command "firethorn isue"; did you mean issue?`,
		"issue lst":                 "did you mean list?",
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
		if code != exitUse && code != exitRefused || !strings.Contains(errs.String(), want) || !strings.HasPrefix(errs.String(), "firethorn: ") {
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
		if code := Run(t.Context(), append(append([]string{"firethorn"}, names...), "--help"), strings.NewReader(""), &out, &errs); code != exitDone {
			t.Errorf("%v --help: exit %d, %s", names, code, errs.String())
			return
		}
		seen++
		if !strings.Contains(out.String(), "USAGE:") || strings.Contains(out.String(), "%!") {
			t.Errorf("%v --help:\n%s", names, out.String())
		}
		c := command()
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
