package symbols

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"iter"
	"math"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/core/sourcemap"
	"firethorn/internal/core/symbols"
)

// located is a JSON line of locate; lines and columns count from 1, columns
// are UTF-16 code units. Where the map says that the code has no source, all
// that follows column is null.
type located struct {
	Line         int     `json:"line"`
	Column       int     `json:"column"`
	Source       *string `json:"source"`
	SourceLine   *int    `json:"source_line"`
	SourceColumn *int    `json:"source_column"`
	Name         *string `json:"name"`     // the map's name for the token
	Function     *string `json:"function"` // the function around it, by the bundle beside the map
}

// Locate is the command that finds a position in a source map.
func Locate() *cli.Command {
	return &cli.Command{Name: "locate", Usage: "look up positions in a source map, offline",
		Description: "Positions are LINE:COLUMN, both from 1, as stack traces print them. Without any, they are read from standard input, one a line.\n" +
			"FILE is a map, or a bundle that contains or names its map. Function names come from the sources in the map,\n" +
			"else from the bundle beside it (its \"file\", or the map's name without .map).",
		Arguments: []cli.Argument{&cli.StringArgs{Name: "position", UsageText: "LINE:COLUMN…", Max: -1}},
		Flags: []cli.Flag{&cli.StringFlag{Name: "map", Usage: "the source map, `FILE`, or a bundle with its map",
			Required: true}},
		Action: func(_ context.Context, c *cli.Command) error {
			m, code, err := loadMap(c.String("map"))
			if err != nil {
				return err
			}
			known := symbols.NewDirect(m, code)
			out := bufio.NewWriter(c.Root().Writer)
			defer out.Flush()
			for p := range positions(c.StringArgs("position"), c.Root().Reader) {
				at, err := position(p)
				if err != nil {
					return err
				}
				if err := showLocated(out, locate(known, at), c.String("format") == "json"); err != nil {
					return err
				}
			}
			return nil
		}}
}

// positions are those given, else the lines of in.
func positions(given []string, in io.Reader) iter.Seq[string] {
	return func(yield func(string) bool) {
		for _, p := range given {
			if !yield(p) {
				return
			}
		}
		if len(given) > 0 {
			return
		}
		for s := bufio.NewScanner(in); s.Scan(); {
			if p := strings.TrimSpace(s.Text()); p != "" && !yield(p) {
				return
			}
		}
	}
}

func position(text string) (sourcemap.Pos, error) {
	l, c, ok := strings.Cut(text, ":")
	line, errL := strconv.ParseInt(l, 10, 64)
	column, errC := strconv.ParseInt(c, 10, 64)
	if !ok || errL != nil || errC != nil || line < 1 || column < 1 || line > math.MaxInt32 || column > math.MaxInt32 {
		return sourcemap.Pos{}, command.Usage("%q is no position: write LINE:COLUMN, both from 1, for example 1:48211", text)
	}
	return sourcemap.Pos{Line: int32(line - 1), Col: int32(column - 1)}, nil
}

func locate(known *symbols.Direct, at sourcemap.Pos) located {
	a := located{Line: int(at.Line) + 1, Column: int(at.Col) + 1}
	o, ok := known.Find(at)
	if !ok || o.Source == "" {
		return a
	}
	line, column := int(o.Pos.Line)+1, int(o.Pos.Col)+1
	a.Source, a.SourceLine, a.SourceColumn = &o.Source, &line, &column
	if o.Name != "" {
		a.Name = &o.Name
	}
	if f, _ := known.Function(at, o); f.Name != "" {
		a.Function = &f.Name
	}
	return a
}

func showLocated(out io.Writer, a located, asJSON bool) error {
	if asJSON {
		return json.NewEncoder(out).Encode(a)
	}
	if a.Source == nil {
		_, err := fmt.Fprintf(out, "%d:%d  no source\n", a.Line, a.Column)
		return err
	}
	words := ""
	if a.Function != nil {
		words += "  in " + show.Plain(*a.Function)
	}
	if a.Name != nil {
		words += "  name " + show.Plain(*a.Name)
	}
	_, err := fmt.Fprintf(out, "%d:%d  %s:%d:%d%s\n", a.Line, a.Column, show.Plain(*a.Source), *a.SourceLine,
		*a.SourceColumn, words)
	return err
}
