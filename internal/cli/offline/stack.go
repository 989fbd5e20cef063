// Package offline has the commands that need no service: reading a trace and
// fingerprinting events.
package offline

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/cli/symbols"
	"firethorn/internal/contract/from"
	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
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

// maxStack is the longest text that is read for a trace, in bytes.
const maxStack = 16 << 20

// Stack is the command that makes a stack trace readable without a service.
func Stack() *cli.Command {
	return &cli.Command{
		Name: "stack", Usage: "make a stack trace readable, offline",
		Description: "Reads a trace from FILE or standard input: JavaScript, Java and related languages, Python, Go, Ruby, PHP, .NET, Rust, Perl, or a debugger, also inside\n" +
			"JSON or after a log prefix. With --maps it resolves frames with the source maps in that directory.",
		Arguments: []cli.Argument{command.Text("file")},
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "maps", Usage: "`DIR` with bundles and their source maps"},
			&cli.StringSliceFlag{Name: "own", Usage: "treat frames whose file or function matches `GLOB` as own code"},
			&cli.StringSliceFlag{Name: "vendor", Usage: "treat frames whose file or function matches `GLOB` as vendor code"},
		},
		Action: func(_ context.Context, c *cli.Command) error {
			in, stop, err := input(c)
			if err != nil {
				return err
			}
			defer stop()
			raw, err := io.ReadAll(io.LimitReader(in, maxStack+1))
			if err != nil {
				return err
			}
			if len(raw) > maxStack {
				return command.Usage("the text is longer than %d MiB: cut the trace out of it", maxStack>>20)
			}
			symbols := &symbols.DirSymbols{Dir: c.String("maps"),
				Kinds: kindRules(c.StringSlice("own"), c.StringSlice("vendor"))}
			if err := symbols.Load(); err != nil {
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

func readStack(text string, symbols *symbols.DirSymbols) stackAnswer {
	t := stacktrace.Read(text, 10_000)
	a := stackAnswer{Language: t.Language, Exceptions: []stackException{}, Rest: t.Rest}
	told := make([]event.Exception, len(t.Exceptions))
	frames := make([][]event.Frame, len(t.Exceptions))
	for i, x := range t.Exceptions {
		told[i] = event.Exception{Type: x.Type, Message: x.Message, Relation: x.Relation}
		e := stackException{Type: x.Type, Message: x.Message, Relation: x.Relation, Omitted: x.Omitted, Rest: x.Rest,
			Frames: symbols.Resolve(x.Frames)}
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

var relationTexts = map[string]string{"cause": "caused by ", "suppressed": "suppressed ", "member": "member ",
	"context": "while handling ", "thread": ""}

func showStack(out io.Writer, a stackAnswer) {
	for _, l := range a.Rest {
		fmt.Fprintf(out, "%s\n", show.Plain(l))
	}
	if len(a.Exceptions) == 0 {
		fmt.Fprintln(out, "\nNo stack trace was recognised here.")
		return
	}
	as := show.StyleOf(out)
	for i, x := range a.Exceptions {
		if i > 0 {
			fmt.Fprintln(out)
		}
		head := x.Type
		if head != "" && x.Message != "" {
			head += ": "
		}
		fmt.Fprintln(out, as.Faint(relationTexts[x.Relation])+
			as.Problem(show.Lines(show.OrElse(head+x.Message, "a trace without its exception"))))
		(&show.Frames{Out: out, As: as, Around: 1}).Folded(from.Frames(x.Frames))
		if x.Omitted > 0 {
			fmt.Fprintln(out, as.Faint(fmt.Sprintf("      … %d more that the runtime left out", x.Omitted)))
		}
		for _, l := range x.Rest {
			if !sourceLine(a.Language, l) {
				fmt.Fprintf(out, "    %s\n", show.Plain(l))
			}
		}
	}
}

// sourceLine says whether a line that is no frame is the source that a
// runtime prints below one.
func sourceLine(language stacktrace.Language, l string) bool {
	return language == stacktrace.Python && strings.HasPrefix(l, "    ")
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
