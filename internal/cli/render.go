package cli

import (
	"fmt"
	"io"
	"strings"
	"text/tabwriter"
	"time"
	"unicode"
)

// plain escapes what could take over a terminal: control characters and marks
// that turn the direction of text.
func plain(s string) string {
	bad := func(r rune) bool {
		return unicode.IsControl(r) || r >= 0x202a && r <= 0x202e || r >= 0x2066 && r <= 0x2069 || r == 0x200e ||
			r == 0x200f || r == 0x061c
	}
	if strings.IndexFunc(s, bad) < 0 {
		return s
	}
	var b strings.Builder
	for _, r := range s {
		switch {
		case r == '\t':
			b.WriteByte(' ')
		case bad(r):
			fmt.Fprintf(&b, "\\u%04x", r)
		default:
			b.WriteRune(r)
		}
	}
	return b.String()
}

// lines is plain for text of several lines.
func lines(s string) string {
	parts := strings.Split(s, "\n")
	for i, p := range parts {
		parts[i] = plain(strings.ReplaceAll(p, "\t", "    "))
	}
	return strings.Join(parts, "\n")
}

// table writes columns; each row is one call with its cells.
func table(out io.Writer, fill func(row func(cells ...any))) {
	w := tabwriter.NewWriter(out, 0, 0, 2, ' ', 0)
	fill(func(cells ...any) {
		for i, c := range cells {
			if i > 0 {
				fmt.Fprint(w, "\t")
			}
			fmt.Fprint(w, plain(fmt.Sprint(c)))
		}
		fmt.Fprintln(w)
	})
	w.Flush()
}

// count writes 1,204; from ten thousand on 12.4 k, from a million on 1.2 M.
func count(n int64) string {
	if n >= 1_000_000 {
		return fmt.Sprintf("%.1f M", float64(n)/1e6)
	}
	if n >= 10_000 {
		return fmt.Sprintf("%.1f k", float64(n)/1000)
	}
	if n >= 1000 {
		return fmt.Sprintf("%d,%03d", n/1000, n%1000)
	}
	return fmt.Sprint(n)
}

// figure is count for a column: aligned on the right.
func figure(n int64) string { return fmt.Sprintf("%7s", count(n)) }

// counted says how many of what there are: "1 event", "1,204 events".
func counted(n int64, what string) string { return count(n) + " " + plural(int(n), what, what+"s") }

// amount is counted for a column, its figures aligned.
func amount(n int64, what string) string {
	return figure(n) + fmt.Sprintf(" %-*s", len(what)+1, plural(int(n), what, what+"s"))
}

// ago writes how long ago t was.
func ago(t time.Time) string {
	d := time.Since(t)
	switch {
	case d < time.Minute:
		return "just now"
	case d < time.Hour:
		return fmt.Sprintf("%d min ago", int(d.Minutes()))
	case d < 48*time.Hour:
		return fmt.Sprintf("%d h ago", int(d.Hours()))
	}
	return fmt.Sprintf("%d days ago", int(d.Hours()/24))
}

func orDash(s string) string {
	if s == "" {
		return "-"
	}
	return s
}

// indent puts the lines behind the first one under it.
func indent(s string) string { return strings.ReplaceAll(s, "\n", "\n  ") }
