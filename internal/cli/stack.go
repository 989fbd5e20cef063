package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
	"firethorn/internal/core/release"
	"firethorn/internal/core/stacktrace"
	"firethorn/internal/core/symbolicate"
)

// stackAnswer is what `stack --format json` prints.
type stackAnswer struct {
	Language   stacktrace.Language `json:"language"`   // "" when no trace was recognised
	Exceptions []stackException    `json:"exceptions"` // outermost first
	Rest       []string            `json:"rest"`       // lines that belong to none
}

// stackException is one exception of a trace.
type stackException struct {
	Type     string        `json:"type"`
	Message  string        `json:"message"`
	Frames   []event.Frame `json:"frames"`             // innermost first
	Parent   *int          `json:"parent"`             // index; null for the first
	Relation string        `json:"relation,omitempty"` // cause, suppressed, member, context, thread
	Omitted  int           `json:"omitted,omitempty"`  // frames that the runtime left out
	Rest     []string      `json:"rest,omitempty"`     // lines that are no frames
}

// mostStack is the longest text that is read for a trace, in bytes.
const mostStack = 16 << 20

func stackCommand() *cli.Command {
	return &cli.Command{
		Name: "stack", Usage: "make a stack trace readable, offline",
		Description: "Reads a trace from FILE or standard input: JavaScript, Java and its kin, Python, Go, Ruby, PHP, .NET, Rust, Perl, or a debugger's, also inside\n" +
			"JSON or behind a log's prefix. With --maps it resolves the frames with the source maps below that directory.",
		Arguments: []cli.Argument{text("file")},
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "maps", Usage: "`DIR` with bundles and their source maps"},
			&cli.StringSliceFlag{Name: "own", Usage: "frames whose file or function fits `GLOB` are your code"},
			&cli.StringSliceFlag{Name: "vendor", Usage: "frames whose file or function fits `GLOB` are a dependency's"},
		},
		Action: func(_ context.Context, c *cli.Command) error {
			in, stop, err := input(c)
			if err != nil {
				return err
			}
			defer stop()
			raw, err := io.ReadAll(io.LimitReader(in, mostStack+1))
			if err != nil {
				return err
			}
			if len(raw) > mostStack {
				return usage("the text is longer than %d MiB: cut the trace out of it", mostStack>>20)
			}
			symbols := &dirSymbols{dir: c.String("maps"),
				kinds: kindRules(c.StringSlice("own"), c.StringSlice("vendor"))}
			if err := symbols.load(); err != nil {
				return err
			}
			answer := readStack(string(raw), symbols)
			if c.String("format") == "json" {
				return json.NewEncoder(c.Root().Writer).Encode(answer)
			}
			showStack(c.Root().Writer, answer)
			return nil
		},
	}
}

func readStack(text string, symbols *dirSymbols) stackAnswer {
	t := stacktrace.Read(text, 10_000)
	a := stackAnswer{Language: t.Language, Exceptions: []stackException{}, Rest: t.Rest}
	told := make([]event.Exception, len(t.Exceptions))
	frames := make([][]event.Frame, len(t.Exceptions))
	for i, x := range t.Exceptions {
		told[i] = event.Exception{Type: x.Type, Message: x.Message, Relation: x.Relation}
		e := stackException{Type: x.Type, Message: x.Message, Relation: x.Relation, Omitted: x.Omitted, Rest: x.Rest,
			Frames: symbols.resolve(x.Frames)}
		if x.Parent >= 0 {
			parent := x.Parent
			told[i].Parent, e.Parent = &parent, &parent
		}
		frames[i] = e.Frames
		a.Exceptions = append(a.Exceptions, e)
	}
	blame.Mark(told, frames, nil)
	return a
}

var relationWords = map[string]string{"cause": "caused by ", "suppressed": "suppressed ", "member": "member ",
	"context": "while handling ", "thread": ""}

func showStack(out io.Writer, a stackAnswer) {
	for _, l := range a.Rest {
		fmt.Fprintf(out, "%s\n", plain(l))
	}
	if len(a.Exceptions) == 0 {
		fmt.Fprintln(out, "\nNo stack trace was recognised here.")
		return
	}
	as := styleOf(out)
	for i, x := range a.Exceptions {
		if i > 0 {
			fmt.Fprintln(out)
		}
		head := x.Type
		if head != "" && x.Message != "" {
			head += ": "
		}
		fmt.Fprintln(out, as.faint(relationWords[x.Relation])+
			as.fault(lines(orElse(head+x.Message, "a trace without its exception"))))
		(&framesView{out: out, as: as, around: 1}).folded(x.Frames)
		if x.Omitted > 0 {
			fmt.Fprintln(out, as.faint(fmt.Sprintf("      … %d more that the runtime left out", x.Omitted)))
		}
		for _, l := range x.Rest {
			if !sourceLine(a.Language, l) {
				fmt.Fprintf(out, "    %s\n", plain(l))
			}
		}
	}
}

// sourceLine says whether a line that is no frame is the source that a
// runtime prints below one.
func sourceLine(language stacktrace.Language, l string) bool {
	return language == stacktrace.Python && strings.HasPrefix(l, "    ")
}

// style is how text looks on a terminal.
type style struct{ on bool }

func (s style) put(code, text string) string {
	if !s.on || text == "" {
		return text
	}
	return "\x1b[" + code + "m" + text + "\x1b[0m"
}

func (s style) bright(text string) string { return s.put("1", text) }
func (s style) faint(text string) string  { return s.put("2", text) }
func (s style) fault(text string) string  { return s.put("1;31", text) }

// styleOf styles what goes to a terminal and nothing else. NO_COLOR and
// CLICOLOR_FORCE say otherwise.
func styleOf(out io.Writer) style {
	if os.Getenv("NO_COLOR") != "" {
		return style{}
	}
	f, ok := out.(*os.File)
	if ok {
		info, err := f.Stat()
		ok = err == nil && info.Mode()&os.ModeCharDevice != 0
	}
	force := os.Getenv("CLICOLOR_FORCE")
	return style{ok || force != "" && force != "0"}
}

// framesView prints frames for people.
type framesView struct {
	out    io.Writer
	as     style
	around int             // source lines each side of frames that are not blamed; -1: none at all
	said   map[string]bool // a reason that many frames share is said once
}

// folded prints own frames, the origin with its source, and folds the others.
func (v *framesView) folded(frames []event.Frame) {
	for i := 0; i < len(frames); {
		if frames[i].Kind == event.Own {
			v.frame(frames[i])
			i++
			continue
		}
		from := i
		for i < len(frames) && frames[i].Kind != event.Own {
			i++
		}
		fmt.Fprintln(v.out, v.as.faint(fmt.Sprintf("      … %d %s of %s", i-from, plural(i-from, "frame", "frames"),
			plain(whose(frames[from:i])))))
	}
}

func (v *framesView) frame(f event.Frame) {
	out, as := v.out, v.as
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
	fmt.Fprintf(out, "  %s%s  %s\n", mark, as.bright(plain(shownFunction(f))), as.faint(plain(place)))
	if f.WhyRaw != "" && !v.said[f.WhyRaw] {
		if v.said == nil {
			v.said = map[string]bool{}
		}
		v.said[f.WhyRaw] = true
		fmt.Fprintf(out, "      not resolved: %s\n", plain(f.WhyRaw))
	}
	around := v.around
	if f.Origin {
		around = symbolicate.Context
	}
	for _, l := range f.SourceLines {
		if l.Line < f.Line-around || l.Line > f.Line+around {
			continue
		}
		text := fmt.Sprintf("%5d  %s", l.Line, plain(strings.ReplaceAll(l.Text, "\t", "    ")))
		if l.Line == f.Line {
			fmt.Fprintf(out, "  %s %s\n", as.fault("▌"), as.bright(text))
		} else {
			fmt.Fprintf(out, "    %s\n", as.faint(text))
		}
	}
	if f.SourceCommit != "" && around > 0 {
		fmt.Fprintf(out, "           %s\n", as.faint("from the repository, at commit "+release.Short(f.SourceCommit)))
	}
}

// whose names what frames belong to: packages, else the runtime.
func whose(frames []event.Frame) string {
	var names []string
	for _, f := range frames {
		name := "the runtime"
		if f.Kind == event.Vendor {
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

// packageOf is the dependency that a file belongs to, as its path tells.
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

// kindRules are those of --own and --vendor: a glob fits a file or a function.
func kindRules(own, vendor []string) (rules []symbolicate.KindRule) {
	for _, list := range []struct {
		globs []string
		kind  event.Kind
	}{{own, event.Own}, {vendor, event.Vendor}} {
		for _, g := range list.globs {
			rules = append(rules, symbolicate.KindRule{Path: g, Kind: list.kind},
				symbolicate.KindRule{Function: g, Kind: list.kind})
		}
	}
	return rules
}

// shownFunction is a frame's function in words.
func shownFunction(f event.Frame) string {
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
