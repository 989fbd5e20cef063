package show

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"firethorn/internal/contract"
	"firethorn/internal/core/event"
	"firethorn/internal/core/release"
	"firethorn/internal/core/symbolicate"
)

// Frames prints frames for people.
type Frames struct {
	Out    io.Writer
	As     Style
	Around int             // source lines each side of frames that are not blamed; -1: none at all
	said   map[string]bool // a reason that many frames share is said once
}

// Folded prints own frames, the origin with its source, and folds the others.
func (v *Frames) Folded(frames []contract.Frame) {
	for i := 0; i < len(frames); {
		if frames[i].Kind == string(event.Own) {
			v.frame(frames[i])
			i++
			continue
		}
		from := i
		for i < len(frames) && frames[i].Kind != string(event.Own) {
			i++
		}
		fmt.Fprintln(v.Out, v.As.Faint(fmt.Sprintf("      … %d %s of %s", i-from, Plural(i-from, "frame", "frames"),
			Plain(whose(frames[from:i])))))
	}
}

func (v *Frames) frame(f contract.Frame) {
	out, as := v.Out, v.As
	mark := "  "
	if f.Origin {
		mark = "▶ "
	}
	place := fmt.Sprintf("%s:%d", f.File, f.Line)
	switch {
	case f.Line == 0:
		place = f.File
	case f.Column > 0:
		place += fmt.Sprintf(":%d", f.Column)
	}
	fmt.Fprintf(out, "  %s%s  %s\n", mark, as.Bright(Plain(ShownFunction(f))), as.Faint(Plain(place)))
	if f.WhyRaw != "" && !v.said[f.WhyRaw] {
		if v.said == nil {
			v.said = map[string]bool{}
		}
		v.said[f.WhyRaw] = true
		fmt.Fprintf(out, "      not resolved: %s\n", Plain(f.WhyRaw))
	}
	around := v.Around
	if f.Origin {
		around = symbolicate.Context
	}
	for _, l := range f.SourceLines {
		if l.Line < f.Line-around || l.Line > f.Line+around {
			continue
		}
		text := fmt.Sprintf("%5d  %s", l.Line, Plain(strings.ReplaceAll(l.Text, "\t", "    ")))
		if l.Line == f.Line {
			fmt.Fprintf(out, "  %s %s\n", as.Problem("▌"), as.Bright(text))
		} else {
			fmt.Fprintf(out, "    %s\n", as.Faint(text))
		}
	}
	if f.SourceCommit != "" && around > 0 {
		fmt.Fprintf(out, "           %s\n", as.Faint("from the repository, at commit "+release.Short(f.SourceCommit)))
	}
}

// whose names what frames belong to: packages, else the runtime.
func whose(frames []contract.Frame) string {
	var names []string
	for _, f := range frames {
		name := "the runtime"
		if f.Kind == string(event.Vendor) {
			name = packageOf(f.File)
		}
		if !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	if len(names) > 3 {
		names = append(names[:3], "others")
	}
	return strings.Join(names, ", ")
}

// packageOf is the dependency that a file belongs to, by its path.
func packageOf(file string) string {
	for _, dir := range []string{"node_modules/", "site-packages/", "dist-packages/", "/pkg/mod/", "/gems/",
		"/vendor/"} {
		_, rest, ok := strings.Cut(file, dir)
		if !ok {
			continue
		}
		parts := strings.SplitN(rest, "/", 3)
		if strings.HasPrefix(rest, "@") && len(parts) > 1 {
			return parts[0] + "/" + parts[1]
		}
		return parts[0]
	}
	return "dependencies"
}

// ShownFunction is a frame's function in words.
func ShownFunction(f contract.Frame) string {
	switch {
	case f.Function != "":
		return f.Function
	case f.Within != "":
		return "(anonymous in " + f.Within + ")"
	case f.Statement != "":
		return "(unknown, at " + f.Statement + ")"
	case f.WhyRaw != "":
		return "(unknown)"
	}
	return "(anonymous)"
}
