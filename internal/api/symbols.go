package api

import (
	"context"
	"encoding/hex"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"

	"firethorn/internal/contract"
	"firethorn/internal/core/fault"
	"firethorn/internal/core/symbolicate"
	"firethorn/internal/pipeline"
	"firethorn/internal/web"
)

// symbolLimits bound one pushed file.
var symbolLimits = web.Limits{Wire: 64 << 20, Plain: 256 << 20}

func (a *API) symbols(h huma.API) {
	op(h, a, "POST", "/api/projects/{project}/symbols/missing", "missing-symbols", "Which contents the project does not hold yet", pushSymbol, func(ctx context.Context, in *struct {
		ProjectPath
		Body contract.Hashes
	}) (*body[contract.Hashes], error) {
		p, err := a.store.Project(ctx, in.Project)
		if err != nil {
			return nil, err
		}
		var hashes [][32]byte
		for _, s := range in.Body.Hashes {
			h, err := hash(s)
			if err != nil {
				return nil, err
			}
			hashes = append(hashes, h)
		}
		have, err := a.store.HaveSymbols(ctx, p.ID, hashes)
		out := contract.Hashes{Hashes: []string{}}
		for _, h := range hashes {
			if !have[h] {
				out.Hashes = append(out.Hashes, hex.EncodeToString(h[:]))
			}
		}
		return &body[contract.Hashes]{out}, err
	})
	op(h, a, "POST", "/api/projects/{project}/symbols", "push-symbols", "Say which contents the files of a release have", pushSymbol, a.pushSymbols)
	op(h, a, "GET", "/api/projects/{project}/symbols", "list-symbols", "What was pushed, newest first", see, func(ctx context.Context, in *struct {
		ProjectPath
		Release string `query:"release"`
		Limit   int    `query:"limit" minimum:"1" maximum:"1000" default:"200"`
	}) (*body[contract.Symbols], error) {
		p, err := a.store.Project(ctx, in.Project)
		if err != nil {
			return nil, err
		}
		list, err := a.store.ListSymbols(ctx, p.ID, in.Release, in.Limit)
		out := contract.Symbols{Symbols: []contract.SymbolListing{}}
		for _, l := range list {
			out.Symbols = append(out.Symbols, contract.SymbolListing{Release: l.Release, Address: l.Address, DebugID: l.DebugID, BundleBytes: l.BundleBytes, MapBytes: l.MapBytes, Map: l.MapHash, Created: l.Created})
		}
		return &body[contract.Symbols]{out}, err
	})
}

func hash(s string) (h [32]byte, err error) {
	if s == "" {
		return h, nil
	}
	raw, err := hex.DecodeString(s)
	if err != nil || len(raw) != 32 {
		return h, fault.New(fault.BadInput, "%.80q is no SHA-256 in hexadecimal", s)
	}
	return [32]byte(raw), nil
}

func (a *API) pushSymbols(ctx context.Context, in *struct {
	ProjectPath
	Body contract.PushSymbols
}) (*body[contract.Pushed], error) {
	p, err := a.store.Project(ctx, in.Project)
	if err != nil {
		return nil, err
	}
	var files []pipeline.SymbolFile
	var need [][32]byte
	for _, f := range in.Body.Files {
		sf := pipeline.SymbolFile{File: symbolicate.File{Address: f.Address, DebugID: f.DebugID}}
		if sf.Bundle, err = hash(f.Bundle); err != nil {
			return nil, err
		}
		if sf.Map, err = hash(f.Map); err != nil {
			return nil, err
		}
		need = append(need, sf.Bundle, sf.Map)
		files = append(files, sf)
	}
	if err := a.store.NeedSymbols(ctx, p.ID, need); err != nil {
		return nil, err
	}
	added, err := a.store.AddSymbolFiles(ctx, p.ID, in.Body.Release, files)
	return &body[contract.Pushed]{contract.Pushed{Added: added, Already: len(files) - added}}, err
}

// putSymbol stores one content; the body is the file itself, usually gzipped.
func (a *API) putSymbol(w http.ResponseWriter, r *http.Request) error {
	name := chi.URLParam(r, "project")
	if err := a.may(r.Context(), pushSymbol, name); err != nil {
		return err
	}
	p, err := a.store.Project(r.Context(), name)
	if err != nil {
		return err
	}
	raw, err := web.ReadBody(w, r, symbolLimits)
	if err != nil {
		return err
	}
	h, err := a.store.PutSymbols(r.Context(), p.ID, raw)
	if err != nil {
		return err
	}
	return web.WriteJSON(w, http.StatusCreated, contract.Hashes{Hashes: []string{hex.EncodeToString(h[:])}})
}
