package firethorn

import (
	"reflect"
	"regexp"
	"strings"
)

const maxExceptions = 20

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
// stack is where it was reported; the stack of an error that carries one counts
// instead.
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
		own = or(own, carried(err))
		if len(out) >= maxExceptions || err == nil {
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
	for range maxExceptions {
		if l, ok := err.(*located); ok {
			return l.stack
		}
		if stack := carried(err); stack != "" || err == nil {
			return stack
		}
		inner, _ := unwrapped(err)
		if len(inner) == 0 {
			return ""
		}
		err = inner[0]
	}
	return ""
}

// carried is the stack that an error itself carries: its method Callers gives
// program counters, or its method StackTrace gives them as a type of its own.
func carried(err error) (stack string) {
	quietly(func() {
		if has, ok := err.(interface{ Callers() []uintptr }); ok {
			stack = stackOf(has.Callers())
			return
		}
		if err == nil {
			return
		}
		m := reflect.ValueOf(err).MethodByName("StackTrace")
		if !m.IsValid() || m.Type().NumIn() != 0 || m.Type().NumOut() != 1 {
			return
		}
		out := m.Type().Out(0)
		if out.Kind() != reflect.Slice || out.Elem().Kind() != reflect.Uintptr {
			return
		}
		list := m.Call(nil)[0]
		pcs := make([]uintptr, list.Len())
		for i := range pcs {
			pcs[i] = uintptr(list.Index(i).Uint())
		}
		stack = stackOf(pcs)
	})
	return stack
}

// unwrapped is the errors that an error wraps, whatever its method does.
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

var digits = regexp.MustCompile(`\d+`)

// kindOf identifies errors of one kind: of one type and message but for its
// numbers, from one place.
func kindOf(err error, stack string) string {
	words := printed(message{err})
	words = words[:min(len(words), 200)]
	_, top, _ := strings.Cut(stack, "\n") // the first line has the goroutine's number
	return typeOf(err) + digits.ReplaceAllString(words, "0") + top[:min(len(top), 400)]
}
