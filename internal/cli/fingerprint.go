package cli

import (
	"bufio"
	"context"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"

	"github.com/urfave/cli/v3"

	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/stacktrace"
	"firethorn/internal/core/symbolicate"
)

// fingerprinted is a line that `fingerprint --format json` prints for an event.
type fingerprinted struct {
	ID          string             `json:"id"`
	Fingerprint string             `json:"fingerprint"`
	Version     int                `json:"grouping_version"`
	Headline    string             `json:"headline"`
	Origin      *event.Position    `json:"origin"` // null where no frame is to blame
	Parts       []fingerprint.Part `json:"parts"`
	Left        []fingerprint.Part `json:"left_out"`
}

func fingerprintCommand() *cli.Command {
	return &cli.Command{
		Name: "fingerprint", Usage: "which events belong together, and why, offline",
		Description: "Reads events, one JSON document a line, from FILE or standard input, and prints the fingerprint of each: events with the same one belong to one issue.\n" +
			"Which functions only fail on behalf of their callers is learned from all events that are given.",
		Arguments: []cli.Argument{text("file")},
		Flags:     []cli.Flag{&cli.StringFlag{Name: "maps", Usage: "`DIR` with bundles and their source maps"}},
		Action: func(_ context.Context, c *cli.Command) error {
			symbols := &dirSymbols{dir: c.String("maps")}
			if err := symbols.load(); err != nil {
				return err
			}
			in, stop, err := input(c)
			if err != nil {
				return err
			}
			defer stop()
			list, err := readEvents(in, symbols)
			if err != nil {
				return err
			}
			return showFingerprints(c.Root().Writer, list, c.String("format") == "json")
		},
	}
}

// readable is an event with its frames.
type readable struct {
	event  *event.Event
	frames [][]event.Frame
}

// mostLine is the longest event that is read, in bytes.
const mostLine = 16 << 20

func readEvents(in io.Reader, symbols *dirSymbols) ([]readable, error) {
	var list []readable
	s := bufio.NewScanner(in)
	s.Buffer(make([]byte, 64<<10), mostLine)
	for n := 1; s.Scan(); n++ {
		if len(s.Bytes()) == 0 {
			continue
		}
		e, err := event.Decode(append([]byte(nil), s.Bytes()...), event.DefaultLimits)
		if err != nil {
			return nil, usage("line %d is no event: %v", n, err)
		}
		stacktrace.Expand(e, event.DefaultLimits)
		symbols.release = e.Release()
		list = append(list, readable{e, symbolicate.Event(e, symbols, symbolicate.Options{})})
	}
	if errors.Is(s.Err(), bufio.ErrTooLong) {
		return nil, usage("an event is longer than %d MiB", mostLine>>20)
	}
	return list, s.Err()
}

func showFingerprints(to io.Writer, list []readable, asJSON bool) error {
	helpers := blame.NewHelpers()
	for _, r := range list {
		helpers.Learn(r.event, r.frames)
	}
	out := bufio.NewWriter(to)
	defer out.Flush()
	lines := json.NewEncoder(out)
	for _, r := range list {
		blame.Again(r.event.Exceptions, r.frames, helpers)
		p := fingerprint.ComputeWith(r.event, r.frames, helpers)
		key := hex.EncodeToString(p.Key[:])
		if asJSON {
			line := fingerprinted{ID: r.event.ID, Fingerprint: key, Version: fingerprint.Version, Headline: p.Headline, Parts: orEmpty(p.Parts), Left: orEmpty(p.Left)}
			if p.HasOrigin {
				line.Origin = &p.Origin
			}
			if err := lines.Encode(line); err != nil {
				return err
			}
			continue
		}
		fmt.Fprintf(out, "%s  %s\n", key, plain(p.Headline))
		showParts(out, styleOf(to), p.Parts, p.Left)
	}
	return nil
}

// showParts prints what a fingerprint was made from, each part once with why.
func showParts(out io.Writer, as style, parts, left []fingerprint.Part) {
	why := ""
	for _, p := range parts {
		if p.Why != why {
			why = p.Why
			fmt.Fprintf(out, "  %s\n", as.faint(plain(why)+":"))
		}
		from := ""
		if p.From != "" {
			from = as.faint("  from " + plain(p.From))
		}
		fmt.Fprintf(out, "    %-11s %s%s\n", p.What, as.bright(plain(lines(orElse(p.Value, "(none)")))), from)
	}
	if len(left) > 0 {
		fmt.Fprintf(out, "  %s\n", as.faint("left out:"))
	}
	for _, p := range left {
		fmt.Fprintf(out, "    %-14s %s  %s\n", p.What, plain(cut(lines(p.Value), 60)), as.faint(plain(p.Why)))
	}
}

func orEmpty(list []fingerprint.Part) []fingerprint.Part {
	if list == nil {
		return []fingerprint.Part{}
	}
	return list
}

// input opens the command's file, or takes standard input.
func input(c *cli.Command) (io.Reader, func(), error) {
	name := c.StringArg("file")
	if name == "" || name == "-" {
		return c.Root().Reader, func() {}, nil
	}
	f, err := os.Open(name)
	if err != nil {
		return nil, nil, usage("%s cannot be read: %v", name, err)
	}
	return f, func() { _ = f.Close() }, nil
}
