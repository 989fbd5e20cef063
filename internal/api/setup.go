package api

import (
	"context"

	"firethorn/internal/contract"
	"firethorn/internal/core/fault"
	"firethorn/internal/guide"
	"firethorn/internal/store/projects"
)

func (a *API) setUp(t *table) {
	onProject(t, "set-up", func(ctx context.Context, p *projects.Project, in *struct {
		ProjectPath
		Runtime string `query:"runtime" enum:"vite,browser,node,node-web,go,opentelemetry,logs" default:"vite" doc:"what the application runs in"`
	}) (*body[contract.SetUp], error) {
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
