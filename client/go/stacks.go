package firethorn

import (
	"fmt"
	"regexp"
	"runtime"
	"strconv"
	"strings"
)

// callers is the stack as the runtime prints one, from so many calls up.
func callers(skip int) string {
	var pcs [64]uintptr
	return stackOf(pcs[:runtime.Callers(skip+1, pcs[:])])
}

// unnumbered heads a stack whose goroutine is not known: asking for the number
// takes longer than everything else about a stack.
const unnumbered = "goroutine 0 [running]:"

// numbered is the stack of the goroutine that asks, with its number.
func numbered(stack string) string {
	if rest, ok := strings.CutPrefix(stack, unnumbered); ok {
		return "goroutine " + goroutineID() + " [running]:" + rest
	}
	return stack
}

// stackOf prints program counters as the runtime prints a stack; "" for none.
func stackOf(pcs []uintptr) string {
	if len(pcs) == 0 {
		return ""
	}
	frames := runtime.CallersFrames(pcs)
	var b strings.Builder
	b.WriteString(unnumbered)
	for {
		f, more := frames.Next()
		if f.Function != "" && f.Function != "runtime.goexit" {
			fmt.Fprintf(&b, "\n%s(...)\n\t%s:%d", f.Function, f.File, f.Line)
		}
		if !more {
			return b.String()
		}
	}
}

// goroutineID is the number of the goroutine that asks.
func goroutineID() string {
	var buf [64]byte
	s := string(buf[:runtime.Stack(buf[:], false)])
	s = strings.TrimPrefix(s, "goroutine ")
	id, _, _ := strings.Cut(s, " ")
	if _, err := strconv.Atoi(id); err != nil {
		return "0"
	}
	return id
}

var heading = regexp.MustCompile(`^goroutine (\d+)(?: gp=\S+)?(?: m=\S+)?(?: mp=\S+)? \[([^\]]*)\]:`)

// The buffer that all goroutines are printed into.
const (
	minDump = 64 << 10
	maxDump = 64 << 20
	// perGoroutine is about how much one takes.
	perGoroutine = 2 << 10
)

// goroutines are all goroutines. The blamed one, if any, is marked and comes
// first. The program stands still while they are printed.
func goroutines(blamed string) []Thread {
	size := min(maxDump/4, max(minDump, runtime.NumGoroutine()*perGoroutine))
	for {
		buf := make([]byte, size)
		n := runtime.Stack(buf, true)
		if n == len(buf) && size < maxDump {
			size *= 4
			continue
		}
		threads := threadsOf(string(buf[:n]))
		for i := range threads {
			if threads[i].ID == blamed {
				threads[0], threads[i] = threads[i], threads[0]
				threads[0].Blamed = true
				break
			}
		}
		return threads
	}
}

// threadsOf reads a dump of goroutines.
func threadsOf(dump string) []Thread {
	var out []Thread
	for block := range strings.SplitSeq(dump, "\n\n") {
		m := heading.FindStringSubmatch(block)
		if m == nil {
			continue
		}
		t := Thread{ID: m[1], Stack: strings.TrimSpace(block)}
		if m[2] != "running" && m[2] != "runnable" {
			t.WaitingOn = m[2]
		}
		out = append(out, t)
	}
	return out
}

// What of all goroutines an event takes along.
const (
	maxThreads     = 500
	maxThreadBytes = 1 << 20
)

// fitting is the goroutines that have room in an event: the failing one, then the others
// in their order.
func fitting(threads []Thread, blamed string) []Thread {
	size := 0
	var out []Thread
	for _, wanted := range []bool{true, false} {
		for _, t := range threads {
			if (t.ID == blamed) != wanted || len(out) >= maxThreads || !wanted && size+len(t.Stack) > maxThreadBytes {
				continue
			}
			t.Stack = strings.Clone(t.Stack) // not the whole dump
			size += len(t.Stack)
			out = append(out, t)
		}
	}
	return out
}
