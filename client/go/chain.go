package firethorn

import (
	"errors"
	"fmt"
	"reflect"
	"regexp"
	"runtime"
	"strconv"
	"strings"
)

const mostExceptions = 20

// located is an error that knows where it was made.
type located struct {
	error
	stack string
}

func (l *located) Unwrap() error { return l.error }

// Here gives an error the stack of its caller: where it is reported is often
// far from where it went wrong. An error that has one keeps it.
func Here(err error) error {
	if err == nil {
		return nil
	}
	if stackIn(err) != "" {
		return err
	}
	return &located{err, callers(2)}
}

// exceptionsOf lists an error and all it wraps: causes, and members of a join.
// stack is where it was reported; an error that knows better where it was made
// counts instead.
func exceptionsOf(err error, stack string) []Exception {
	var out []Exception
	var add func(err error, parent int, relation string)
	add = func(err error, parent int, relation string) {
		own := ""
		for {
			l, ok := err.(*located)
			if !ok {
				break
			}
			own, err = or(own, l.stack), l.error
		}
		if len(out) >= mostExceptions || err == nil {
			return
		}
		at := len(out)
		x := Exception{Type: typeOf(err), Message: printed(message{err}), Stack: own}
		if at == 0 {
			x.Stack = or(or(own, stackIn(err)), stack)
		} else {
			x.Parent, x.Relation = &parent, relation
		}
		out = append(out, x)
		inner, relation := unwrapped(err)
		for _, e := range inner {
			add(e, at, relation)
		}
	}
	add(err, 0, "")
	return out
}

// stackIn is the stack that an error or one that it wraps carries, or "".
func stackIn(err error) (stack string) {
	quietly(func() {
		if has := (*located)(nil); errors.As(err, &has) {
			stack = has.stack
		}
	})
	return stack
}

// unwrapped is what an error wraps, whatever its method does.
func unwrapped(err error) (inner []error, relation string) {
	quietly(func() {
		switch u := err.(type) {
		case interface{ Unwrap() error }:
			inner, relation = []error{u.Unwrap()}, "cause"
		case interface{ Unwrap() []error }:
			inner, relation = u.Unwrap(), "member"
		}
	})
	return inner, relation
}

// message prints an error by its own method alone.
type message struct{ err error }

func (m message) String() string { return m.err.Error() }

// typeOf is the type's name as fmt prints it.
func typeOf(err error) string { return reflect.TypeOf(err).String() }

// callers is the stack as the runtime prints one, from so many calls up.
func callers(skip int) string {
	var pcs [64]uintptr
	frames := runtime.CallersFrames(pcs[:runtime.Callers(skip+1, pcs[:])])
	var b strings.Builder
	b.WriteString("goroutine " + goroutineID() + " [running]:")
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

var (
	heading = regexp.MustCompile(`^goroutine (\d+)(?: gp=\S+)?(?: m=\S+)?(?: mp=\S+)? \[([^\]]*)\]:`)
	digits  = regexp.MustCompile(`\d+`)
)

// goroutines are all goroutines there are; the blamed one is marked.
func goroutines(blamed string) []Thread {
	buf := make([]byte, 64<<10)
	for {
		n := runtime.Stack(buf, true)
		if n < len(buf) || len(buf) >= 1<<20 {
			return threadsOf(string(buf[:n]), blamed)
		}
		buf = make([]byte, 4*len(buf))
	}
}

// threadsOf takes a dump of goroutines apart.
func threadsOf(dump, blamed string) []Thread {
	var out []Thread
	for _, block := range strings.Split(dump, "\n\n") {
		m := heading.FindStringSubmatch(block)
		if m == nil || len(out) >= 500 {
			continue
		}
		t := Thread{ID: m[1], Blamed: m[1] == blamed, Stack: strings.TrimSpace(block)}
		if m[2] != "running" && m[2] != "runnable" {
			t.WaitingOn = m[2]
		}
		out = append(out, t)
	}
	return out
}

// kindOf tells errors of one kind: of one type and message but for its
// numbers, from one place.
func kindOf(err error, stack string) string {
	words := printed(message{err})
	words = words[:min(len(words), 200)]
	_, top, _ := strings.Cut(stack, "\n") // the first line has the goroutine's number
	return typeOf(err) + digits.ReplaceAllString(words, "0") + top[:min(len(top), 400)]
}
