package show

import (
	"bytes"
	"strings"
	"testing"
	"time"
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
		if got := Plain(in); got != want {
			t.Errorf("plain(%q) = %q, want %q", in, got, want)
		}
	}
	if got := Lines("a\n\tb\x07"); got != "a\n    b\\u0007" {
		t.Errorf("lines: %q", got)
	}
}

func TestTable_AlignsItsColumns(t *testing.T) {
	var out bytes.Buffer
	Table(&out, func(row func(...any)) {
		row("ISSUE", "EVENTS", "HEADLINE")
		row("quayside/1", Figure(1204), "no tide\ttable")
		row("quayside/12", Figure(3), "\x1b[31mred")
	})
	want := "ISSUE        EVENTS   HEADLINE\nquayside/1     1,204  no tide table\nquayside/12        3  \\u001b[31mred\n"
	if out.String() != want {
		t.Errorf("got\n%s\nwant\n%s", out.String(), want)
	}
}

// A terminal of 80 columns cuts what is long, never a figure or a heading; one of 60
// leaves columns out, and says which; one of 40 gets blocks of lines.
func TestTable_FitsTheTerminal(t *testing.T) {
	fill := func(row func(...any)) {
		row("ISSUE", "STATE", " EVENTS", "HEADLINE", "PLACE")
		row("quayside/12", "regressed", Figure(12_440), "TypeError in drawBerthMapOfTheWholeHarbour", "src/berths/map/drawBerthMap.ts:1204")
	}
	var wide, narrow, whole bytes.Buffer
	table(&wide, 80, fill)
	for line := range strings.Lines(wide.String()) {
		if n := len([]rune(strings.TrimSuffix(line, "\n"))); n > 80 {
			t.Errorf("%d columns: %s", n, line)
		}
	}
	if got := wide.String(); !strings.Contains(got, " 12.4 k  TypeError") || !strings.Contains(got, "…") || !strings.Contains(got, "quayside/12  regressed") {
		t.Errorf("80 columns:\n%s", got)
	}
	var middle bytes.Buffer
	table(&middle, 60, func(row func(...any)) {
		row("IMPACT", "ISSUE", "EVENTS", "USERS", "STATE", "LAST SEEN", "RELEASES")
		row("  45.6", "quayside/12", Figure(12_440), Figure(88), "regressed", "24 h ago", "4.2.0 → 4.2.1")
	})
	if want := "IMPACT  ISSUE        EVENTS   USERS    STATE      LAST SEEN\n  45.6  quayside/12   12.4 k       88  regressed  24 h ago\n(a wider terminal shows more: releases)\n"; middle.String() != want {
		t.Errorf("60 columns:\n%s\nwant\n%s", middle.String(), want)
	}
	table(&narrow, 40, fill)
	want := "quayside/12\n  state     regressed\n  events    12.4 k\n  headline  TypeError in drawBerthMapOfTheWholeHarbour\n  place     src/berths/map/drawBerthMap.ts:1204\n"
	if narrow.String() != want {
		t.Errorf("40 columns:\n%s\nwant\n%s", narrow.String(), want)
	}
	table(&whole, 0, fill)
	if strings.Contains(whole.String(), "…") {
		t.Errorf("what is no terminal gets all:\n%s", whole.String())
	}
}

func TestCount_IsShortAndExactWhereItMatters(t *testing.T) {
	for n, want := range map[int64]string{0: "0", 999: "999", 1000: "1,000", 9_999: "9,999", 10_000: "10.0 k", 12_440: "12.4 k", 999_900: "999.9 k", 1_000_000: "1.0 M", 1_260_000: "1.3 M"} {
		if got := Count(n); got != want {
			t.Errorf("count(%d) = %q, want %q", n, got, want)
		}
	}
	for n, want := range map[int64]string{0: "0 events", 1: "1 event", 1204: "1,204 events"} {
		if got := Counted(n, "event"); got != want {
			t.Errorf("counted(%d) = %q, want %q", n, got, want)
		}
	}
	if one, many := Amount(1, "event"), Amount(12, "event"); len(one) != len(many) {
		t.Errorf("a column of amounts does not line up: %q and %q", one, many)
	}
}

func TestAgo(t *testing.T) {
	for d, want := range map[time.Duration]string{10 * time.Second: "just now", 90 * time.Second: "1 min ago", 3 * time.Hour: "3 h ago", 47 * time.Hour: "47 h ago", 49 * time.Hour: "2 days ago"} {
		if got := Ago(time.Now().Add(-d)); got != want {
			t.Errorf("%s: %q, want %q", d, got, want)
		}
	}
}
