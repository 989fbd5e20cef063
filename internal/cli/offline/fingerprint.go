package offline

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

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/cli/symbols"
	"firethorn/internal/contract"
	"firethorn/internal/contract/from"
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
	Computed string          `json:"computed,omitempty"`
	Rule     string          `json:"rule,omitempty"` // the grouping rule that decided
	Headline string          `json:"headline"`
	Origin   *event.Position `json:"origin"` // null where no frame is to blame
	Parts    []contract.Part `json:"parts"`
	Left     []contract.Part `json:"left_out"`
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

// Fingerprint is the command that fingerprints events without a service.
func Fingerprint() *cli.Command {
	return &cli.Command{
		Name: "fingerprint", Usage: "group events and explain it, offline",
		Description: "Reads events, one JSON document a line, from FILE or standard input, and prints their fingerprints. Events with the same one belong to one issue.\n" +
			"It learns from all given events which functions only fail on behalf of their callers.\n" +
			"With the maps of several releases (--maps 4.2.0=DIR1 --maps 4.3.0=DIR2), a function that moved to another file keeps the fingerprint of its old place.\n" +
			"A plain --maps DIR serves every release; a directory below it that is named like a release serves that release.\n" +
			"With --rules, the sections frames and grouping of a rules file apply as in the service. Each JSON line names the rule that decided.",
		Arguments: []cli.Argument{command.Text("file")},
		Flags: []cli.Flag{
			&cli.StringSliceFlag{Name: "maps", Usage: "a `[RELEASE=]DIR` with bundles and their source maps; may be repeated"},
			&cli.StringFlag{Name: "rules", Usage: "a rules `FILE`"},
			&cli.IntFlag{Name: "grouping-version", Value: fingerprint.Version,
				Usage: "fingerprint by this grouping version"},
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
	maps, err := symbols.OpenMaps(c.StringSlice("maps"))
	if err != nil {
		return err
	}
	list, err := ReadEvents(in, maps, method)
	if err != nil {
		return err
	}
	v := &fingerprintsView{to: c.Root().Writer, problems: c.Root().ErrWriter, asJSON: c.String("format") == "json"}
	return v.show(list, maps, method)
}

// methodOf is how the command line says to group.
func methodOf(c *cli.Command) (grouping.Method, error) {
	m := grouping.Method{Version: c.Int("grouping-version")}
	if m.Version < fingerprint.Oldest || m.Version > fingerprint.Version {
		return m, command.Usage("there is no grouping version %d; this program knows %d to %d", m.Version,
			fingerprint.Oldest, fingerprint.Version)
	}
	name := c.String("rules")
	if name == "" {
		return m, nil
	}
	raw, err := os.ReadFile(name)
	if err != nil {
		return m, command.Usage("%s cannot be read: %v", name, err)
	}
	set, faults := rules.Read(string(raw))
	if len(faults) > 0 {
		return m, fmt.Errorf("%s:%s; firethorn rules check %s lists all errors", name, faults[0], name)
	}
	m.Rules = set
	return m, nil
}

// Readable is an event with its frames.
type Readable struct {
	Event  *event.Event
	Frames [][]event.Frame
}

// maxLine is the longest event that is read, in bytes.
const maxLine = 16 << 20

// ReadEvents reads events, one a line, with the symbols of a directory, by the
// frame rules of a method.
func ReadEvents(in io.Reader, maps *symbols.MapsOf, method grouping.Method) ([]Readable, error) {
	var list []Readable
	s := bufio.NewScanner(in)
	s.Buffer(make([]byte, 64<<10), maxLine)
	for n := 1; s.Scan(); n++ {
		if len(s.Bytes()) == 0 {
			continue
		}
		e, err := event.Decode(append([]byte(nil), s.Bytes()...), event.DefaultLimits)
		if err != nil {
			return nil, command.Usage("line %d is no event: %v", n, err)
		}
		stacktrace.Expand(e, event.DefaultLimits)
		maps.Use(e.Release())
		list = append(list, Readable{e, symbolicate.Event(e, maps, symbolicate.Options{Kinds: method.Kinds()})})
	}
	if errors.Is(s.Err(), bufio.ErrTooLong) {
		return nil, command.Usage("an event is longer than %d MiB", maxLine>>20)
	}
	return list, s.Err()
}

// fingerprints fingerprints events by what all of them teach of functions that
// fail on behalf of others.
func fingerprints(list []Readable, method grouping.Method,
	take func(r Readable, p fingerprint.Result, trouble []rules.Trouble) error) error {
	helpers := blame.NewHelpers()
	for _, r := range list {
		helpers.Learn(r.Event, r.Frames)
	}
	method.Learned = helpers
	for _, r := range list {
		blame.Again(r.Event.Exceptions, r.Frames, helpers)
		p, trouble := method.Print(r.Event, ThrownOf(r.Event), r.Frames)
		if err := take(r, p, trouble); err != nil {
			return err
		}
	}
	return nil
}

// ThrownOf is when an event says that it was thrown; zero where it does not.
func ThrownOf(e *event.Event) time.Time {
	at, _ := time.Parse(time.RFC3339Nano, e.Time) // one that cannot be read is none
	return at
}

// fingerprintsView is where fingerprints go, and in which form.
type fingerprintsView struct {
	to, problems io.Writer
	asJSON       bool
}

func (v *fingerprintsView) show(list []Readable, maps *symbols.MapsOf, method grouping.Method) error {
	out := bufio.NewWriter(v.to)
	defer out.Flush()
	lines := json.NewEncoder(out)
	prints := make([]fingerprint.Result, 0, len(list))
	var seen []moved.Seen
	err := fingerprints(list, method, func(r Readable, p fingerprint.Result, trouble []rules.Trouble) error {
		for _, t := range trouble {
			if !t.Empty {
				fmt.Fprintf(v.problems, "! event %s: the rule %q: %s\n", r.Event.ID, t.Rule, show.Plain(t.Why))
			}
		}
		maps.Use(r.Event.Release())
		symbolicate.Digests(r.Event, r.Frames, maps)
		if origin, ok := moved.OriginOf(&p, r.Frames); ok && r.Event.Release() != "" {
			seen = append(seen, moved.Seen{Key: p.Key, Release: r.Event.Release(), Origin: origin})
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
		line := fingerprinted{ID: list[i].Event.ID, Fingerprint: key, Version: p.Version, Headline: p.Headline,
			Parts: from.Parts(p.Parts), Left: from.Parts(p.Left)}
		if moved {
			line.Fingerprint = hex.EncodeToString(f.Key[:])
			line.Followed = &followed{key, f.To.Name, f.From.Module, f.To.Module, f.Release, f.Like}
		}
		if k, ok := whole[p.Key]; ok {
			line.Fingerprint, line.Computed = hex.EncodeToString(k[:]), key
		}
		if v.asJSON {
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
		fmt.Fprintf(out, "%s  %s\n", line.Fingerprint, show.Plain(p.Headline))
		if moved {
			fmt.Fprintf(out, "  %s\n", show.Plain(f.String()))
		}
		if line.Computed != "" {
			fmt.Fprintln(out, "  the engine left out frames; traces of engines that print all frames show which bug it is")
		}
		ShowParts(out, show.StyleOf(v.to), from.Parts(p.Parts), from.Parts(p.Left))
	}
	return nil
}

// wholeOf finds the fingerprints of whole traces that those with frames left
// out represent.
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

// ShowParts prints what a fingerprint was made from, each part once with why.
func ShowParts(out io.Writer, as show.Style, parts, left []contract.Part) {
	why := ""
	for _, p := range parts {
		if p.Why != why {
			why = p.Why
			fmt.Fprintf(out, "  %s\n", as.Faint(show.Plain(why)+":"))
		}
		from := ""
		if p.From != "" {
			from = as.Faint("  from " + show.Plain(p.From))
		}
		fmt.Fprintf(out, "    %-11s %s%s\n", p.What,
			as.Bright(show.Plain(show.Lines(show.OrElse(p.Value, "(none)")))), from)
	}
	if len(left) > 0 {
		fmt.Fprintf(out, "  %s\n", as.Faint("left out:"))
	}
	for _, p := range left {
		fmt.Fprintf(out, "    %-14s %s  %s\n", p.What, show.Plain(show.Cut(show.Lines(p.Value), 60)),
			as.Faint(show.Plain(p.Why)))
	}
}

// input opens the command's file, or takes standard input.
func input(c *cli.Command) (io.Reader, func(), error) {
	name := c.StringArg("file")
	if name == "" || name == "-" {
		return c.Root().Reader, func() {}, nil
	}
	f, err := os.Open(name)
	if err != nil {
		return nil, nil, command.Usage("%s cannot be read: %v", name, err)
	}
	return f, func() { _ = f.Close() }, nil
}
