package logtext

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
)

// hostileLogs are logs of about n bytes whose lines promise a trace.
func hostileLogs(n, random int) map[string]string {
	long := "x Error: " + strings.Repeat("a ", n/100)
	waiting := strings.Repeat(long+"\n", 39)
	frame := "    at a (b.js:1:1)\n"
	all := map[string]string{
		"long lines wait inside a trace":   frame + waiting + strings.Repeat(frame, n/2/len(frame)),
		"long lines wait, frames of Ruby":  waiting + strings.Repeat("x.rb:3:in `a'\n", n/30),
		"records between heads and frames": strings.Repeat("ERROR: aError: at :in \n"+frame, n/45),
	}
	lines := []string{frame, "  File \"a\", line 1\n", "Traceback (most recent call last):\n", "goroutine 1 [running]:\n", "main.a()\n", "\t/a.go:1\n", "aError: b\n", "ERROR x\n", "2026-11-23T04:39:02Z ERROR aError: b\n",
		"Caused by: a.b.CError: d\n", "\tat a.b(C.java:1)\n", "web-1 | aError\n", "#0 a(1): b\n", "thread 'a' panicked at b:1:2:\n", "\n", long + "\n", strings.Repeat("rror :in  at  in ", n/400) + "\n"}
	for seed := range random {
		rng := rand.New(rand.NewPCG(uint64(seed), 24))
		var head, body strings.Builder
		for range 1 + rng.IntN(45) {
			head.WriteString(lines[rng.IntN(len(lines))])
		}
		for range 1 + rng.IntN(3) {
			body.WriteString(lines[rng.IntN(len(lines)-2)])
		}
		all[fmt.Sprint("made by chance ", seed)] = head.String() + strings.Repeat(body.String(), n/body.Len()+1)
	}
	return all
}

// A log of twice the length takes twice the work, whatever it holds.
func TestParser_WorkIsLinear(t *testing.T) {
	spent := func(log string) int {
		p := New()
		for line := range strings.SplitSeq(log, "\n") {
			p.Line(line, 0)
		}
		p.Flush()
		return p.spent
	}
	const size = 16 << 10
	one, two := hostileLogs(size, 60), hostileLogs(2*size, 60)
	for name := range one {
		if a, b := spent(one[name]), spent(two[name]); b > 2*a+a/2 || a > 20*len(one[name]) {
			t.Errorf("%s: expressions ran over %d bytes of %d, and %d of %d", name, a, len(one[name]), b, len(two[name]))
		}
	}
}
