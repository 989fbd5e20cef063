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
	"time"

	"github.com/urfave/cli/v3"

	"firethorn/internal/core/blame"
	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/grouping"
	"firethorn/internal/core/moved"
	"firethorn/internal/core/rules"
	"firethorn/internal/core/stacktrace"
	"firethorn/internal/core/symbolicate"
)

// fingerprinted is a line that `fingerprint --format json` prints for an event.
type fingerprinted struct {
	ID          string `json:"id"`
	Fingerprint string `json:"fingerprint"`
	Version     int    `json:"grouping_version"`
	// Where it is that of another place, which the function moved from.
	Followed *followed `json:"followed,omitempty"`
	// Where it is that of a whole trace: what this one comes to, in which the engine left frames
	// out.
	Computed string             `json:"computed,omitempty"`
	Rule     string             `json:"rule,omitempty"` // the grouping rule that decided
	Headline string             `json:"headline"`
	Origin   *event.Position    `json:"origin"` // null where no frame is to blame
	Parts    []fingerprint.Part `json:"parts"`
	Left     []fingerprint.Part `json:"left_out"`
}

// followed says which move of a function a fingerprint was followed through.
type followed struct {
	Fingerprint string  `json:"fingerprint"` // as it is computed for the new place
	Function    string  `json:"function"`
	From        string  `json:"from"` // the old place
	To          string  `json:"to"`   // the new one
	Release     string  `json:"release"`
	Like        float64 `json:"like"` // which share of the function's text stayed, 0 to 1
}

func fingerprintCommand() *cli.Command {
	return &cli.Command{
		Name: "fingerprint", Usage: "which events belong together, and why, offline",
		Description: "Reads events, one JSON document a line, from FILE or standard input, and prints the fingerprint of each: events with the same one belong to one issue.\n" +
			"Which functions only fail on behalf of their callers is learned from all events that are given.\n" +
			"With the maps of several releases (--maps 4.2.0=DIR1 --maps 4.3.0=DIR2), a function that moved to another file keeps the fingerprint of its old place.\n" +
			"A plain --maps DIR serves every release; what lies below a directory named like a release belongs to that one.\n" +
			"With --rules, the sections frames and grouping of a rules file act as they would in the service; each JSON line names the rule that decided.",
		Arguments: []cli.Argument{text("file")},
		Flags: []cli.Flag{
			&cli.StringSliceFlag{Name: "maps", Usage: "`[RELEASE=]DIR` with bundles and their source maps; repeat it for each release"},
			&cli.StringFlag{Name: "rules", Usage: "a rules `FILE`"},
			&cli.IntFlag{Name: "grouping-version", Value: fingerprint.Version,
				Usage: "the grouping version to fingerprint by"},
		},
		Action: fingerprintEvents,
	}
}

func fingerprintEvents(_ context.Context, c *cli.Command) error {
	method, err := methodOf(c)
	if err != nil {
		return err
	}
	in, stop, err := input(c)
	if err != nil {
		return err
	}
	defer stop()
	maps, err := openMaps(c.StringSlice("maps"))
	if err != nil {
		return err
	}
	list, err := readEvents(in, maps, method)
	if err != nil {
		return err
	}
	return showFingerprints(c.Root().Writer, c.Root().ErrWriter, list, maps, method, c.String("format") == "json")
}

// methodOf is how the command line says to group.
func methodOf(c *cli.Command) (grouping.Method, error) {
	m := grouping.Method{Version: c.Int("grouping-version")}
	if m.Version < fingerprint.Oldest || m.Version > fingerprint.Version {
		return m, usage("there is no grouping version %d; this program knows %d to %d", m.Version, fingerprint.Oldest, fingerprint.Version)
	}
	name := c.String("rules")
	if name == "" {
		return m, nil
	}
	raw, err := os.ReadFile(name)
	if err != nil {
		return m, usage("%s cannot be read: %v", name, err)
	}
	set, faults := rules.Read(string(raw))
	if len(faults) > 0 {
		return m, fmt.Errorf("%s:%s; firethorn rules check %s lists all faults", name, faults[0], name)
	}
	m.Rules = set
	return m, nil
}

// readable is an event with its frames.
type readable struct {
	event  *event.Event
	frames [][]event.Frame
}

// mostLine is the longest event that is read, in bytes.
const mostLine = 16 << 20

// readEvents reads events, one a line, with the symbols of a directory, by the
// frame rules of a method.
func readEvents(in io.Reader, maps *mapsOf, method grouping.Method) ([]readable, error) {
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
		maps.use(e.Release())
		list = append(list, readable{e, symbolicate.Event(e, maps, symbolicate.Options{Kinds: method.Kinds()})})
	}
	if errors.Is(s.Err(), bufio.ErrTooLong) {
		return nil, usage("an event is longer than %d MiB", mostLine>>20)
	}
	return list, s.Err()
}

// fingerprints fingerprints events by what all of them teach of functions that
// fail on behalf of others.
func fingerprints(list []readable, method grouping.Method,
	take func(r readable, p fingerprint.Result, trouble []rules.Trouble) error) error {
	helpers := blame.NewHelpers()
	for _, r := range list {
		helpers.Learn(r.event, r.frames)
	}
	method.Learned = helpers
	for _, r := range list {
		blame.Again(r.event.Exceptions, r.frames, helpers)
		p, trouble := method.Print(r.event, thrownOf(r.event), r.frames)
		if err := take(r, p, trouble); err != nil {
			return err
		}
	}
	return nil
}

// thrownOf is when an event says that it was thrown; zero where it does not.
func thrownOf(e *event.Event) time.Time {
	at, _ := time.Parse(time.RFC3339Nano, e.Time) // one that cannot be read is none
	return at
}

func showFingerprints(to, problems io.Writer, list []readable, maps *mapsOf, method grouping.Method,
	asJSON bool) error {
	out := bufio.NewWriter(to)
	defer out.Flush()
	lines := json.NewEncoder(out)
	prints := make([]fingerprint.Result, 0, len(list))
	var seen []moved.Seen
	err := fingerprints(list, method, func(r readable, p fingerprint.Result, trouble []rules.Trouble) error {
		for _, t := range trouble {
			if !t.Empty {
				fmt.Fprintf(problems, "! event %s: the rule %q: %s\n", r.event.ID, t.Rule, plain(t.Why))
			}
		}
		maps.use(r.event.Release())
		symbolicate.Digests(r.event, r.frames, maps)
		if origin, ok := moved.OriginOf(&p, r.frames); ok && r.event.Release() != "" {
			seen = append(seen, moved.Seen{Key: p.Key, Release: r.event.Release(), Origin: origin})
		}
		prints = append(prints, p)
		return nil
	})
	if err != nil {
		return err
	}
	follows := moved.Group(seen, maps)
	whole := wholeOf(prints, follows)
	for i, p := range prints {
		f, moved := follows[p.Key]
		key := hex.EncodeToString(p.Key[:])
		line := fingerprinted{ID: list[i].event.ID, Fingerprint: key, Version: p.Version, Headline: p.Headline,
			Parts: orEmpty(p.Parts), Left: orEmpty(p.Left)}
		if moved {
			line.Fingerprint = hex.EncodeToString(f.Key[:])
			line.Followed = &followed{key, f.To.Name, f.From.Module, f.To.Module, f.Release, f.Like}
		}
		if k, ok := whole[p.Key]; ok {
			line.Fingerprint, line.Computed = hex.EncodeToString(k[:]), key
		}
		if asJSON {
			if p.Ruling != nil {
				line.Rule = p.Ruling.Rule
			}
			if p.HasOrigin {
				line.Origin = &p.Origin
			}
			if err := lines.Encode(line); err != nil {
				return err
			}
			continue
		}
		fmt.Fprintf(out, "%s  %s\n", line.Fingerprint, plain(p.Headline))
		if moved {
			fmt.Fprintf(out, "  %s\n", plain(f.String()))
		}
		if line.Computed != "" {
			fmt.Fprintln(out, "  the engine left frames out; others that print all frames tell which bug it is")
		}
		showParts(out, styleOf(to), p.Parts, p.Left)
	}
	return nil
}

// wholeOf finds the fingerprints of whole traces that those with frames left
// out stand for.
func wholeOf(prints []fingerprint.Result,
	follows map[fingerprint.Key]moved.Followed) map[fingerprint.Key]fingerprint.Key {
	all := make([]*fingerprint.Result, len(prints))
	for i := range prints {
		all[i] = &prints[i]
	}
	return fingerprint.Whole(all, func(k fingerprint.Key) fingerprint.Key {
		if f, ok := follows[k]; ok {
			return f.Key
		}
		return k
	})
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
