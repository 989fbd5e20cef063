package fingerprint

import (
	"strings"

	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
)

// Engines leave frames out: of who awaited, and of functions whose last act is
// a call. What they print of a bug has a fingerprint of its own; engines that
// print all frames tell which bug it is. Result.As are the fingerprints that an
// event would have had where frames are left out.

// maxAs is how many callers outward may be all that another engine prints.
const maxAs = 4

// stays is all of a fingerprint that does not change when functions move to
// other files.
func (r *Result) stays() string {
	var b strings.Builder
	for _, p := range r.Parts {
		value := p.Value
		switch p.What {
		case "module":
			continue
		case "through":
			_, value, _ = strings.Cut(value, " ")
		}
		b.WriteString(p.What + "\x00" + value + "\x00")
	}
	return b.String()
}

// addAs notes the fingerprints that the event would have had where frames are
// left out. It is blamed on the frame at j of exception i.
func (r *Result) addAs(e *event.Event, frames [][]event.Frame, i, j int) {
	if r.Version < 6 || i >= len(e.Exceptions) || frames[i][j].Pending || frames[i][j].Vanished {
		return
	}
	var first []Part
	if len(r.Parts) > 0 && r.Parts[0].What == "type" {
		first = r.Parts[:1:1]
	}
	if native, ok := nativeBelow(frames[i], j); ok {
		n := 0
		for _, f := range frames[i][j+1:] {
			if f.Async { // a call that was awaited is nobody's last act
				break
			}
			if f.Kind != event.Own || f.Pending || f.Called() == "" {
				continue
			}
			r.As = append(r.As, hashOf(append(first, Part{What: "native", Value: native},
				Part{What: "module", Value: r.module(f)}, Part{What: "function", Value: blame.Function(f)}), ""))
			if n++; n == maxAs {
				break
			}
		}
	}
	k, ok := blame.Through(frames[i], j)
	if !ok || r.local(e.Exceptions[i]) {
		return
	}
	wish := r.wish(e.Exceptions[i].Message)
	if f := frames[i][k]; f.OnBehalf && isSpecific(wish) {
		r.As = append(r.As, hashOf(append(first, Part{What: "module", Value: r.module(f)},
			Part{What: "function", Value: blame.Function(f)}, Part{What: "message", Value: wish}), ""))
	}
}

// isSpecific says whether a message says enough of what was asked for to report
// whom: it names something, or has some words.
func isSpecific(wish string) bool {
	return strings.ContainsAny(wish, `/"'`) || len(strings.Fields(wish)) >= 3
}

// nativeBelow is the innermost function of the runtime below the own frame at
// j, where nothing else lies between.
func nativeBelow(frames []event.Frame, j int) (name string, ok bool) {
	for _, f := range frames[:j] {
		if f.Kind != event.Runtime || !native[f.File] {
			return "", false
		}
		if name == "" {
			name = f.Function[strings.LastIndexByte(f.Function, '.')+1:]
		}
	}
	return name, name != ""
}

// native is what engines print instead of the file of their own functions.
var native = map[string]bool{"[native code]": true, "<anonymous>": true, "native": true}

// Whole finds out what fingerprints that were made of traces with frames left
// out represent, by those of whole traces. same gives one name to all that is
// one bug by what else is known. A fingerprint that could be either of two is
// left alone.
func Whole(all []*Result, same func(Key) Key) map[Key]Key {
	owner, either := map[Key]Key{}, map[Key]bool{}
	for _, r := range all {
		for _, as := range r.As {
			k := same(r.Key)
			if was, ok := owner[as]; ok && was != k {
				either[as] = true
			}
			owner[as] = k
		}
	}
	for k := range either {
		delete(owner, k)
	}
	return owner
}
