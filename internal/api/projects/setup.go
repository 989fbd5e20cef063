package projects

import (
	"context"

	"firethorn/internal/api/calls"
	"firethorn/internal/contract"
	"firethorn/internal/guide"
	"firethorn/internal/store/projects"
)

func (a *handlers) setUp(t *calls.Table) {
	calls.OnProject(t, "set-up", func(ctx context.Context, p *projects.Project, in *struct {
		calls.ProjectPath
		Runtime string `query:"runtime" enum:"vite,browser,node,node-web,go,opentelemetry,logs" default:"vite" doc:"the runtime of the application"`
	}) (*calls.Body[contract.SetUp], error) {
		whole, err := a.project(ctx, p)
		if err != nil {
			return nil, err
		}
		g, err := guide.For(in.Runtime,
			guide.Facts{Server: a.Public.String(), Key: whole.IngestKey, Project: p.Name, Version: a.Clients})
		if err != nil {
			return nil, err
		}
		runtimes, err := guide.Runtimes()
		if err != nil {
			return nil, err
		}
		out := contract.SetUp{Runtime: g.Runtime, Name: g.Name, About: g.About}
		for _, r := range runtimes {
			out.Runtimes = append(out.Runtimes, contract.SetUpRuntime(r))
		}
		for _, s := range g.Steps {
			out.Steps = append(out.Steps, contract.SetUpStep(s))
		}
		return calls.Answer(out), nil
	})
}
