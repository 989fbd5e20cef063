package symbols

import (
	"cmp"
	"context"
	"fmt"
	"net/url"
	"strings"
	"time"

	"firethorn/internal/api/calls"
	"firethorn/internal/contract"
	"firethorn/internal/core/shell"
	"firethorn/internal/core/symbolicate"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/ingest"
)

func (a *handlers) symbolCheck(t *calls.Table) {
	calls.OnProject(t, "check-symbols", func(ctx context.Context, p *projects.Project, in *struct {
		calls.ProjectPath
		Release string `query:"release" doc:"as events report it; with an event it may be left out"`
		Event   string `query:"event" doc:"an event's id, or an issue, whose newest kept event counts"`
	}) (*calls.Body[contract.SymbolCheck], error) {
		c := &checking{a: a, p: p,
			out: contract.SymbolCheck{Project: p.Name, Release: in.Release, Files: []contract.CheckedFile{}}}
		var err error
		if in.Event != "" {
			err = c.event(ctx, in.Event)
		} else {
			err = c.release(ctx)
		}
		return calls.Answer(c.out), err
	})
	calls.OnProject(t, "unread-releases",
		func(ctx context.Context, p *projects.Project, in *calls.ProjectPath) (*calls.Body[contract.UnreadReleases],
			error) {
			list, err := a.Store.Ingest.UnreadReleases(ctx, p.ID)
			out := contract.UnreadReleases{Releases: []contract.UnreadRelease{}}
			for _, u := range list {
				out.Releases = append(out.Releases,
					contract.UnreadRelease{Release: u.Release, Events: u.Events, Of: u.All, Issues: u.Issues,
						LastSeen: time.UnixMicro(u.LastSeen).UTC(), Again: u.Again})
			}
			return calls.Answer(out), err
		})
}

// checking is the work on one check.
type checking struct {
	a       *handlers
	p       *projects.Project
	out     contract.SymbolCheck
	symbols *pipeline.Symbols
	pushed  []symbolicate.File // of the release, the newest some thousand
	other   string             // the newest release that has symbols, where this one has none
}

// maxChecked is how many files of a release are checked.
const maxChecked = 200

// release checks the files that traces of a release name.
func (c *checking) release(ctx context.Context) error {
	files, err := c.a.Store.Ingest.FilesSeen(ctx, c.p.ID, c.out.Release, maxChecked)
	if err != nil {
		return err
	}
	return c.files(ctx, files)
}

// event checks the files that the trace of one event names.
func (c *checking) event(ctx context.Context, ref string) error {
	row, err := c.a.Referred(ctx, c.p, ref)
	if err != nil {
		return err
	}
	raw, err := c.a.Store.Events.AnyBody(ctx, row)
	if err != nil {
		return err
	}
	e, frames, err := pipeline.Read(ctx, c.p.Project, raw, c.a.Units)
	if err != nil {
		return err
	}
	c.out.Event, c.out.Release = row.ID.String(), e.Release()
	seen, err := c.a.Store.Ingest.FilesSeen(ctx, c.p.ID, c.out.Release, maxChecked)
	if err != nil {
		return err
	}
	var files []ingest.FileSeen
	for _, f := range pipeline.TraceFiles(e, frames) {
		x := ingest.FileSeen{TraceFile: f}
		for _, s := range seen {
			if s.Address == f.Address && s.DebugID == f.DebugID {
				x = s
			}
		}
		files = append(files, x)
	}
	return c.files(ctx, files)
}

func (c *checking) files(ctx context.Context, files []ingest.FileSeen) error {
	c.a.Units.Forget(c.p.ID)
	c.symbols = c.a.Units.Of(ctx, c.p.Project, c.out.Release)
	if err := c.known(ctx); err != nil {
		return err
	}
	unread := 0
	for _, f := range files {
		x, err := c.file(ctx, f)
		if err != nil {
			return err
		}
		if !x.Readable {
			unread++
		}
		c.out.Files = append(c.out.Files, x)
	}
	c.say(unread)
	return nil
}

// known finds out what was pushed for the release.
func (c *checking) known(ctx context.Context) error {
	list, err := c.a.Store.Symbols.ListSymbols(ctx, c.p.ID, c.out.Release, 5000)
	if err != nil {
		return err
	}
	for _, l := range list {
		if c.out.Release == "" || l.Release != c.out.Release {
			c.other = cmp.Or(c.other, l.Release)
			continue
		}
		c.pushed = append(c.pushed, symbolicate.File{Address: l.Address, DebugID: l.DebugID})
	}
	c.out.Pushed = len(c.pushed)
	if c.out.Pushed == 0 && c.other == "" {
		newest, err := c.a.Store.Symbols.ListSymbols(ctx, c.p.ID, "", 1)
		if err != nil {
			return err
		}
		if len(newest) > 0 {
			c.other = newest[0].Release
		}
	}
	unread, err := c.a.Store.Ingest.UnreadReleases(ctx, c.p.ID)
	for _, u := range unread {
		if u.Release == c.out.Release {
			c.out.Again = u.Again
		}
	}
	return err
}

// file says whether one generated file can be read.
func (c *checking) file(ctx context.Context, f ingest.FileSeen) (contract.CheckedFile, error) {
	out := contract.CheckedFile{File: f.Address, DebugID: f.DebugID, LookedFor: []string{}, Events: f.Events,
		Unread: f.Unread, Issues: f.Issues}
	if f.DebugID != "" {
		out.LookedFor = append(out.LookedFor, "a pushed file with the debug id "+f.DebugID+", of any release")
	}
	switch {
	case c.out.Release != "":
		out.LookedFor = append(out.LookedFor, fmt.Sprintf("a file of release %s at %s", c.out.Release, f.Address))
	case f.DebugID == "":
		out.LookedFor = append(out.LookedFor, "nothing: the event names neither a release nor a debug id")
	}
	found, byID, miss := c.symbols.Find(f.Address, f.DebugID)
	if err := c.symbols.Err(); err != nil {
		return out, err
	}
	if found == nil {
		out.Reason, out.Why = string(miss.Reason), miss.Text
		out.Nearest = symbolicate.Closest(c.pushed, f.Address)
		out.Run = c.remedy(miss.Reason, f.Address, out.Nearest)
		return out, nil
	}
	unit, err := c.a.Store.Symbols.SymbolUnit(ctx, found.Unit)
	if err != nil {
		return out, err
	}
	out.Found = &contract.FoundSymbols{Address: found.Address, DebugID: found.DebugID, By: "address", State: unit.State}
	if byID {
		out.Found.By = "debug id"
	}
	switch unit.State {
	case "ready":
		out.Readable, out.Note = true, unit.Note
	case "waiting":
		out.Reason, out.Why = "waiting", "the source map was pushed and is being prepared; frames become readable by themselves"
	default:
		out.Reason, out.Why = "broken", cmp.Or(unit.Note, "the symbols of this file are not stored any more")
		out.Run = c.push("") + "    # bundle and map of one build together"
	}
	return out, nil
}

func (c *checking) push(servedAt string) string {
	if servedAt != "" {
		servedAt = " " + shell.Option("--served-at", servedAt)
	}
	return fmt.Sprintf("firethorn symbols push --project %s %s%s DIR", c.p.Name,
		shell.Option("--release", cmp.Or(c.out.Release, "RELEASE")), servedAt)
}

// remedy is the command that helps.
func (c *checking) remedy(reason symbolicate.Reason, file, nearest string) string {
	switch reason {
	case symbolicate.NoRelease:
		return "set service.version where the application starts the client; firethorn project set-up " + c.p.Name + " shows how"
	case symbolicate.NoSymbols:
		return c.push("")
	case symbolicate.NotThisFile:
		return c.push(served(file, nearest))
	case symbolicate.TwoBuilds, symbolicate.SharedID:
		return "firethorn symbols stamp DIR && " + c.push("")
	default:
		return c.push("") + "    # DIR as it is served"
	}
}

// served is under which address a pushed directory should have been said to
// lie, so that the nearest file would have been the one.
func served(file, nearest string) string {
	u, err := url.Parse(file)
	if err != nil || u.Host == "" {
		return ""
	}
	path := u.Path
	if n, err := url.Parse(nearest); err == nil && nearest != "" {
		path = strings.TrimSuffix(path, "/"+strings.TrimPrefix(n.Path, "/"))
	}
	if path == u.Path { // the directory that the file lies in
		path = path[:strings.LastIndexByte(path, '/')+1]
	}
	return (&url.URL{Scheme: u.Scheme, Host: u.Host, Path: path}).String()
}

// say sums the check up in a sentence.
func (c *checking) say(unread int) {
	what := "the traces of release " + c.out.Release + " name"
	switch {
	case c.out.Event != "":
		what = "the trace of this event names"
	case c.out.Release == "":
		what = "traces without a release name"
	}
	n := len(c.out.Files)
	switch {
	case n == 0 && c.out.Event != "":
		c.out.Text = "This event names no generated file: there is nothing to look up."
	case n == 0 && c.out.Pushed > 0:
		c.out.Text = fmt.Sprintf("No trace of release %s was seen yet; %d files were pushed for it.", c.out.Release,
			c.out.Pushed)
	case n == 0:
		c.out.Text = fmt.Sprintf("No trace of release %s was seen yet, and nothing was pushed for it.", c.out.Release)
	case unread == 0 && n == 1:
		c.out.Text = "The one generated file that " + what + " can be read."
	case unread == 0:
		c.out.Text = fmt.Sprintf("All %d generated files that %s can be read.", n, what)
	case n == 1:
		c.out.Text = "The one generated file that " + what + " cannot be read."
	default:
		c.out.Text = fmt.Sprintf("%d of %d generated files that %s cannot be read.", unread, n, what)
	}
	if c.out.Pushed == 0 && c.other != "" && unread > 0 {
		c.out.Text += " The newest release that symbols were pushed for is " + c.other + "."
	}
}
