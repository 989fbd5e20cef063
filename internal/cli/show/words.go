package show

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"firethorn/internal/contract"
)

// Plural is one or many, by a number.
func Plural(n int, one, many string) string {
	if n == 1 {
		return one
	}
	return many
}

// Cut shortens in the middle.
func Cut(s string, most int) string {
	r := []rune(s)
	if len(r) <= most {
		return s
	}
	return string(r[:most/2]) + "…" + string(r[len(r)-(most-most/2-1):])
}

// OrElse is a text, or another one for none.
func OrElse(s, or string) string {
	if s == "" {
		return or
	}
	return s
}

// IndentAll puts every line of a text under an indent.
func IndentAll(s, indent string) string {
	return indent + strings.ReplaceAll(strings.TrimRight(s, "\n"), "\n", "\n"+indent) + "\n"
}

// Size writes a number of bytes: 340 B, 1.2 kB.
func Size(n int64) string {
	switch {
	case n >= 1<<20:
		return fmt.Sprintf("%.1f MB", float64(n)/(1<<20))
	case n >= 1<<10:
		return fmt.Sprintf("%.1f kB", float64(n)/(1<<10))
	}
	return fmt.Sprintf("%d B", n)
}

// SortedKeys are an object's names in order.
func SortedKeys(m map[string]any) []string { return slices.Sorted(maps.Keys(m)) }

// Count writes 1,204; from ten thousand on 12.4 k, from a million on 1.2 M.
func Count(n int64) string {
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

// Figure is count for a column: aligned on the right.
func Figure(n int64) string { return fmt.Sprintf("%7s", Count(n)) }

// Counted says how many of what there are: "1 event", "1,204 events".
func Counted(n int64, what string) string { return Count(n) + " " + Plural(int(n), what, what+"s") }

// Amount is counted for a column, its figures aligned.
func Amount(n int64, what string) string {
	return Figure(n) + fmt.Sprintf(" %-*s", len(what)+1, Plural(int(n), what, what+"s"))
}

// Ago writes how long ago t was.
func Ago(t time.Time) string {
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

// OrDash is a text, or a dash for none.
func OrDash(s string) string {
	if s == "" {
		return "-"
	}
	return s
}

// Indent puts the lines behind the first one under it.
func Indent(s string) string { return strings.ReplaceAll(s, "\n", "\n  ") }

// Status says how an issue stands.
func Status(v contract.Issue) string {
	return Plain(v.Status)
}
