package projects

import (
	"cmp"
	"context"
	"strings"
	"time"

	"firethorn/internal/api/calls"
	"firethorn/internal/api/rows"
	"firethorn/internal/contract"
	"firethorn/internal/core/access"
	"firethorn/internal/core/commits"
	"firethorn/internal/core/problem"
	"firethorn/internal/store/projects"
)

func (a *handlers) projects(t *calls.Table) {
	calls.Call(t, "list-projects", func(ctx context.Context, _ *calls.NoInput) (*calls.Body[contract.Projects], error) {
		list, err := a.Store.Projects.Projects(ctx, a.Sight(ctx, access.ReadProject))
		if err != nil {
			return nil, err
		}
		totals, err := a.Store.Projects.AllTotals(ctx, a.Sight(ctx, access.ReadIssues))
		if err != nil {
			return nil, err
		}
		keys, err := a.Store.Projects.AllKeys(ctx, a.Sight(ctx, access.ReadProject))
		if err != nil {
			return nil, err
		}
		out := contract.Projects{Projects: []contract.Project{}}
		for _, p := range list {
			out.Projects = append(out.Projects, *projectOf(p, totals[p.ID], keys[p.ID]))
		}
		return calls.Answer(out), nil
	})
	calls.Call(t, "create-project",
		func(ctx context.Context, in *calls.Body[contract.NewProject]) (*calls.Body[contract.Project], error) {
			keep := in.Body.KeepDays
			if keep == 0 {
				keep = 30
			}
			p, _, err := a.Store.Projects.CreateProject(ctx,
				projects.NewProject{Name: in.Body.Name, KeepDays: keep, Maker: calls.PersonOf(ctx)})
			if err != nil {
				return nil, err
			}
			out, err := a.project(ctx, p)
			if err != nil {
				return nil, err
			}
			return calls.Answer(*out), nil
		})
	calls.OnProject(t, "show-project",
		func(ctx context.Context, p *projects.Project, in *calls.ProjectPath) (*calls.Body[contract.Project], error) {
			out, err := a.project(ctx, p)
			if err != nil {
				return nil, err
			}
			return calls.Answer(*out), nil
		})
	calls.OnProject(t, "change-project", func(ctx context.Context, p *projects.Project, in *struct {
		calls.ProjectPath
		Body contract.ChangeProject
	}) (*calls.Body[contract.Project], error) {
		if in.Body.Repository != nil { // the service fetches from it
			if err := a.May(ctx, access.CreateProjects, nil); err != nil {
				return nil, err
			}
		}
		change, err := a.projectChange(&in.Body)
		if err != nil {
			return nil, err
		}
		if err := a.Store.Projects.ChangeProject(ctx, p.ID, change); err != nil {
			return nil, err
		}
		if p, err = a.Store.Projects.ProjectByID(ctx, p.ID); err != nil {
			return nil, err
		}
		out, err := a.project(ctx, p)
		if err != nil {
			return nil, err
		}
		return calls.Answer(*out), nil
	})
}

// keys are the calls about ingest keys.
func (a *handlers) keys(t *calls.Table) {
	calls.OnProject(t, "list-keys",
		func(ctx context.Context, p *projects.Project, in *calls.ProjectPath) (*calls.Body[contract.Keys], error) {
			list, err := a.Store.Projects.Keys(ctx, p.ID)
			out := contract.Keys{Keys: []contract.Key{}}
			for i := range list {
				out.Keys = append(out.Keys, key(&list[i]))
			}
			return calls.Answer(out), err
		})
	calls.OnProject(t, "create-key", func(ctx context.Context, p *projects.Project, in *struct {
		calls.ProjectPath
		Body contract.NewKey
	}) (*calls.Body[contract.Key], error) {
		k, err := a.Store.Projects.AddKey(ctx, p.ID, in.Body.Label, in.Body.Routes)
		if err != nil {
			return nil, err
		}
		return calls.Answer(key(k)), nil
	})
	calls.OnProject(t, "rotate-key", func(ctx context.Context, p *projects.Project, in *struct {
		KeyPath
		Body contract.RotateKey
	}) (*calls.Body[contract.Key], error) {
		k, err := a.Store.Projects.RotateKey(ctx, p.ID, in.Key, time.Duration(in.Body.OverlapHours)*time.Hour)
		if err != nil {
			return nil, err
		}
		return calls.Answer(key(k)), nil
	})
	calls.OnProject(t, "revoke-key",
		func(ctx context.Context, p *projects.Project, in *KeyPath) (*calls.Body[contract.Key], error) {
			k, err := a.Store.Projects.RevokeKey(ctx, p.ID, in.Key)
			if err != nil {
				return nil, err
			}
			return calls.Answer(key(k)), nil
		})
}

// KeyPath is the path of an ingest key.
type KeyPath struct {
	calls.ProjectPath
	Key string `path:"key" maxLength:"100" doc:"the key itself"`
}

// projectChange reads a change of a project.
func (a *handlers) projectChange(in *contract.ChangeProject) (projects.ProjectChange, error) {
	c := projects.ProjectChange{KeepDays: in.KeepDays, KeepSymbols: in.KeepSymbols, LogMessages: in.LogMessages,
		ReleaseOrder: in.ReleaseOrder, Repository: in.Repository, CommitLink: in.CommitLink,
		AllowanceMinute: in.AllowanceMinute, AllowanceDay: in.AllowanceDay, Origins: in.Origins,
		LocateUsers: in.LocateUsers, CutOffCrashes: in.CutOffCrashes}
	if in.Repository != nil && *in.Repository != "" {
		if err := a.Code.MayFetch(*in.Repository); err != nil {
			return c, err
		}
	}
	if len(in.SourcePaths) == 0 {
		return c, nil
	}
	list := []commits.Mapping{}
	for _, text := range in.SourcePaths {
		if text == "" {
			continue
		}
		from, to, ok := strings.Cut(text, "=")
		if !ok {
			return c, problem.New(problem.BadInput, "a source path is set as FROM=TO, for example webpack://quayside/=web/quayside/, not %q", text)
		}
		list = append(list, commits.Mapping{From: from, To: to})
	}
	c.SourcePaths = &list
	return c, nil
}

func key(k *projects.Key) contract.Key {
	c := contract.Key{Key: k.Value, Label: k.Label, Routes: k.Routes, Good: k.Good(time.Now()), Created: k.Created}
	for at, to := range map[*time.Time]**time.Time{&k.Until: &c.Until, &k.Revoked: &c.Revoked,
		&k.LastUsed: &c.LastUsed} {
		if !at.IsZero() {
			*to = at
		}
	}
	return c
}

func (a *handlers) project(ctx context.Context, p *projects.Project) (*contract.Project, error) {
	var t projects.Totals
	reads, err := a.Allowed(ctx, access.ReadIssues, p)
	if err == nil && reads { // operators do not see what was reported
		t, err = a.Store.Projects.Totals(ctx, p.ID)
	}
	if err != nil {
		return nil, err
	}
	keys, err := a.Store.Projects.Keys(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	return projectOf(p, t, keys), nil
}

// projectOf converts a project with its totals and its ingest keys.
func projectOf(p *projects.Project, t projects.Totals, keys []projects.Key) *contract.Project {
	out := &contract.Project{Name: p.Name, Created: p.Created, KeepDays: p.KeepDays, KeepSymbols: p.KeepSymbols,
		LocateUsers: p.LocateUsers, CutOffCrashes: p.CutOffCrashes, LogMessages: cmp.Or(string(p.LogMessages), "off"),
		ReleaseOrder: cmp.Or(string(p.ReleaseOrder), "auto"),
		Issues:       t.Issues, OpenIssues: t.Open, Events: t.Events,
		Origins: p.Origins, Allowance: contract.Allowance(p.Allowance), Rules: p.RulesVersion, Repository: p.Repository,
		CommitLink: p.CommitLink, SourcePaths: rows.MappingsOf(p)}
	if !t.LastEvent.IsZero() {
		out.LastEvent = &t.LastEvent
	}
	for _, k := range keys {
		if k.Good(time.Now()) && !k.Routes {
			out.IngestKey = k.Value
		}
	}
	return out
}
