package symbols

import (
	"context"
	"encoding/hex"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"time"

	"firethorn/internal/api/calls"
	"firethorn/internal/contract"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/symbolstore"
)

func (a *handlers) symbols(t *calls.Table) {
	calls.OnProject(t, "missing-symbols", func(ctx context.Context, p *projects.Project, in *struct {
		calls.ProjectPath
		Body contract.Hashes
	}) (*calls.Body[contract.MissingSymbols], error) {
		out, err := a.missing(ctx, p, in.Body.Hashes)
		return calls.Answer(out), err
	})
	calls.OnProject(t, "push-symbols", a.pushSymbols)
	calls.OnProject(t, "list-symbols", func(ctx context.Context, p *projects.Project, in *struct {
		calls.ProjectPath
		Release string `query:"release"`
		Limit   int    `query:"limit" minimum:"1" maximum:"1000" default:"200"`
	}) (*calls.Body[contract.Symbols], error) {
		out, err := a.listSymbols(ctx, p, in.Release, in.Limit)
		return calls.Answer(out), err
	})
	a.symbolCheck(t)
}

func (a *handlers) missing(ctx context.Context, p *projects.Project, list []string) (contract.MissingSymbols, error) {
	out := contract.MissingSymbols{Hashes: []string{}, Parts: map[string][]int{}, PartBytes: symbolstore.SymbolPart}
	var hashes, missing [][32]byte
	for _, s := range list {
		h, err := hash(s)
		if err != nil {
			return out, err
		}
		hashes = append(hashes, h)
	}
	have, err := a.Store.Symbols.HaveSymbols(ctx, p.ID, hashes)
	if err != nil {
		return out, err
	}
	for _, h := range hashes {
		if !have[h] {
			missing = append(missing, h)
			out.Hashes = append(out.Hashes, hex.EncodeToString(h[:]))
		}
	}
	parts, err := a.Store.Symbols.PartsOf(ctx, p.ID, missing)
	for h, list := range parts {
		out.Parts[hex.EncodeToString(h[:])] = list
	}
	return out, err
}

func (a *handlers) listSymbols(ctx context.Context, p *projects.Project, release string,
	limit int) (contract.Symbols, error) {
	out := contract.Symbols{Releases: []contract.SymbolRelease{}, Symbols: []contract.SymbolListing{}}
	list, err := a.Store.Symbols.ListSymbols(ctx, p.ID, release, limit)
	if err != nil {
		return out, err
	}
	for _, l := range list {
		out.Symbols = append(out.Symbols,
			contract.SymbolListing{Release: l.Release, Address: l.Address, DebugID: l.DebugID,
				BundleBytes: l.BundleBytes, MapBytes: l.MapBytes, Map: l.MapHash, State: l.State, Note: l.Note,
				Created: l.Created})
	}
	costs, err := a.Store.Symbols.SymbolCosts(ctx, p.ID, release, limit)
	for _, c := range costs {
		out.Releases = append(out.Releases, contract.SymbolRelease(c))
	}
	return out, err
}

func hash(s string) (h [32]byte, err error) {
	if s == "" {
		return h, nil
	}
	raw, err := hex.DecodeString(s)
	if err != nil || len(raw) != 32 {
		return h, problem.New(problem.BadInput, "%.80q is no SHA-256 in hexadecimal", s)
	}
	return [32]byte(raw), nil
}

const (
	// compileAtPush is how long the answer to a push waits for what it brought to
	// be prepared.
	compileAtPush = 2 * time.Second
	// maxCompile is how many files it waits for; a larger push is left to the
	// background.
	maxCompile = 300
)

func (a *handlers) pushSymbols(ctx context.Context, p *projects.Project, in *struct {
	calls.ProjectPath
	Body contract.PushSymbols
}) (*calls.Body[contract.Pushed], error) {
	var files []symbolstore.PushedFile
	var need [][32]byte
	for _, f := range in.Body.Files {
		if err := checkAddress(f.Address); err != nil {
			return nil, err
		}
		sf := symbolstore.PushedFile{Address: f.Address, DebugID: f.DebugID}
		var err error
		if sf.Bundle, err = hash(f.Bundle); err != nil {
			return nil, err
		}
		if sf.Map, err = hash(f.Map); err != nil {
			return nil, err
		}
		need = append(need, sf.Bundle, sf.Map)
		files = append(files, sf)
	}
	if err := a.Store.Symbols.NeedSymbols(ctx, p.ID, need); err != nil {
		return nil, err
	}
	done, err := a.Store.Symbols.AddSymbolFiles(ctx, p.ID, in.Body.Release, files)
	if err != nil {
		return nil, err
	}
	a.Units.Forget(p.ID)
	out := contract.Pushed{Added: done.Added, Already: done.Already, Builds: append([]string{}, done.Builds...),
		Waiting: len(done.Waiting), Broken: []string{}}
	if len(done.Waiting) <= maxCompile {
		waiting, broken, err := a.Units.CompileNow(ctx, done.Waiting, compileAtPush)
		if err != nil {
			return nil, err
		}
		out.Waiting = waiting
		for _, u := range broken {
			out.Broken = append(out.Broken, fmt.Sprintf("%x: %s", u.Map[:6], u.Note))
		}
	}
	return calls.Answer(out), nil
}

// checkAddress refuses addresses that no frame can name.
func checkAddress(address string) error {
	if strings.TrimSpace(address) == "" {
		return problem.New(problem.BadInput, "a file has no address: write the URL it is served from, or its path")
	}
	path := strings.ReplaceAll(address, "\\", "/")
	if slices.Contains(strings.Split(path, "/"), "..") {
		return problem.New(problem.BadInput, "the address %q climbs: write it without .. as it is served", address)
	}
	if strings.Contains(path[strings.LastIndexByte(path, '/')+1:], "*") {
		return problem.New(problem.BadInput, "the address %q has a * in the file name: * is allowed in the host and in directories", address)
	}
	if strings.Contains(address, "://") {
		if u, err := url.Parse(strings.ReplaceAll(address, "*", "x")); err != nil || u.Host == "" {
			return problem.New(problem.BadInput, "the address %q is no URL", address)
		}
	}
	return nil
}
