package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"os"

	"github.com/urfave/cli/v3"

	"firethorn/internal/core/event"
	"firethorn/internal/core/scope"
	"firethorn/internal/core/stacktrace"
	"firethorn/internal/core/symbolicate"
)

// stackAnswer is what `stack --format json` prints.
type stackAnswer struct {
	Header string        `json:"header"`
	Frames []event.Frame `json:"frames"`
	Rest   []string      `json:"rest"` // lines that are no frames
}

func stackCommand() *cli.Command {
	return &cli.Command{
		Name: "stack", Usage: "make a stack trace readable, offline",
		Description: "Reads a trace from FILE or standard input. With --maps it resolves the frames with the source maps below that directory.",
		Arguments:   []cli.Argument{text("file")},
		Flags:       []cli.Flag{&cli.StringFlag{Name: "maps", Usage: "`DIR` with bundles and their source maps"}},
		Action: func(_ context.Context, c *cli.Command) error {
			in := c.Root().Reader
			if name := c.StringArg("file"); name != "" && name != "-" {
				f, err := os.Open(name)
				if err != nil {
					return usage("%s cannot be read: %v", name, err)
				}
				defer f.Close()
				in = f
			}
			raw, err := io.ReadAll(io.LimitReader(in, 16<<20))
			if err != nil {
				return err
			}
			trace := stacktrace.Parse(string(raw), "", "", 10_000)
			symbols := &dirSymbols{dir: c.String("maps")}
			if symbols.dir != "" {
				if symbols.list, _, err = findBundles(symbols.dir); err != nil {
					return err
				}
			}
			answer := stackAnswer{Header: trace.Header, Rest: trace.Rest, Frames: symbols.resolve(trace.Frames)}
			if c.String("format") == "json" {
				return json.NewEncoder(c.Root().Writer).Encode(answer)
			}
			return showStack(c.Root().Writer, answer)
		},
	}
}

func showStack(out io.Writer, a stackAnswer) error {
	if a.Header != "" {
		fmt.Fprintln(out, lines(a.Header))
	}
	showFrames(out, a.Frames, false)
	for _, l := range a.Rest {
		fmt.Fprintf(out, "    %s\n", plain(l))
	}
	return nil
}

// dirSymbols are the bundles of a directory.
type dirSymbols struct {
	dir   string
	list  []bundle
	units map[int]*symbolicate.Unit
}

func (d *dirSymbols) resolve(raws []event.RawFrame) []event.Frame {
	frames := make([]event.Frame, len(raws))
	for i, raw := range raws {
		var unit *symbolicate.Unit
		why := ""
		if d.dir != "" && symbolicate.Resolvable(raw) {
			unit, why = d.unit(raw.File)
		}
		frames[i] = symbolicate.Frame(raw, unit, why, symbolicate.Options{Sources: true})
	}
	symbolicate.MarkOrigin(make([]event.Exception, 1), [][]event.Frame{frames})
	return frames
}

func (d *dirSymbols) unit(file string) (*symbolicate.Unit, string) {
	files := make([]symbolicate.File, len(d.list))
	for i, b := range d.list {
		files[i] = symbolicate.File{Address: b.Path, DebugID: b.DebugID}
	}
	i, _ := symbolicate.Choose(files, file, "", "", "in "+d.dir)
	if i < 0 && len(files) == 0 {
		return nil, "no file with a source map lies below " + d.dir
	}
	if i < 0 {
		return nil, fmt.Sprintf("%s is not among the %d files with maps below %s", file, len(files), d.dir)
	}
	if d.units == nil {
		d.units = map[int]*symbolicate.Unit{}
	}
	if d.units[i] == nil {
		d.units[i] = &symbolicate.Unit{Map: d.list[i].Map, Scopes: scope.Scan(d.list[i].Code)}
	}
	return d.units[i], ""
}
