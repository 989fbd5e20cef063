package api

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"firethorn/internal/contract"
	"firethorn/internal/core/fault"
	"firethorn/internal/guide"
)

func (a *API) setUp(h huma.API) {
	op(h, a, "GET", "/api/projects/{project}/set-up", "set-up", "How an application is set up to report, with the project's own key", see, func(ctx context.Context, in *struct {
		ProjectPath
		Runtime string `query:"runtime" enum:"vite,browser,node,node-web,go,opentelemetry,logs" default:"vite" doc:"what the application runs in"`
	}) (*body[contract.SetUp], error) {
		p, err := a.store.Projects.Project(ctx, in.Project)
		if err != nil {
			return nil, err
		}
		whole, err := a.project(ctx, p)
		if err != nil {
			return nil, err
		}
		g, ok := guide.For(in.Runtime,
			guide.Facts{Server: a.public.String(), Key: whole.IngestKey, Project: p.Name, Version: a.clients})
		if !ok {
			return nil, fault.New(fault.BadInput, "there is no guide for %q", in.Runtime)
		}
		out := contract.SetUp{Runtime: g.Runtime, Name: g.Name, About: g.About}
		for _, r := range guide.Runtimes {
			out.Runtimes = append(out.Runtimes, contract.SetUpRuntime(r))
		}
		for _, s := range g.Steps {
			out.Steps = append(out.Steps, contract.SetUpStep(s))
		}
		return &body[contract.SetUp]{out}, nil
	})
}
