package projects

import (
	"context"
	"errors"
	"net/http"
	"slices"

	"firethorn/internal/api/calls"
	"firethorn/internal/contract"
	"firethorn/internal/contract/from"
	"firethorn/internal/core/access"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/rules"
	"firethorn/internal/core/scrub"
	"firethorn/internal/store/projects"
	"firethorn/internal/web"
)

func (a *handlers) rules(t *calls.Table) {
	calls.OnProject(t, "show-rules", func(ctx context.Context, p *projects.Project, in *struct {
		calls.ProjectPath
		Version int `query:"version" minimum:"0" doc:"0: the newest"`
	}) (*calls.Body[contract.Rules], error) {
		f, err := a.Store.Projects.Rules(ctx, p.ID, in.Version)
		if err != nil {
			return nil, err
		}
		return a.rulesFile(ctx, p, f)
	})
	calls.Call(t, "list-rule-words", func(context.Context, *calls.NoInput) (*calls.Body[contract.RulesWords], error) {
		out := contract.RulesWords{Conditions: from.Words(rules.Words())}
		for _, k := range scrub.Kinds {
			out.Kinds = append(out.Kinds, string(k))
		}
		return calls.Answer(out), nil
	})
	calls.OnProject(t, "list-rules",
		func(ctx context.Context, p *projects.Project, in *calls.ProjectPath) (*calls.Body[contract.RulesHistory],
			error) {
			list, err := a.Store.Projects.RulesHistory(ctx, p.ID, 200)
			out := contract.RulesHistory{Versions: []contract.RulesVersion{}}
			for _, f := range list {
				out.Versions = append(out.Versions,
					contract.RulesVersion{Version: f.Version, At: f.At, By: f.Actor.Name, Note: f.Note})
			}
			return calls.Answer(out), err
		})
	calls.OnProject(t, "push-rules", func(ctx context.Context, p *projects.Project, in *struct {
		calls.ProjectPath
		Body contract.PushRules
	}) (*calls.Body[contract.Rules], error) {
		set, err := readRulesFile(in.Body.Text)
		if err != nil {
			return nil, err
		}
		if err := a.strangers(ctx, p, set); err != nil {
			return nil, err
		}
		if err := a.scrubbingOff(ctx, p, set); err != nil {
			return nil, err
		}
		onto := -1
		if in.Body.Onto != nil {
			onto = *in.Body.Onto
		}
		f, err := a.Store.Projects.PushRules(ctx, p.ID, in.Body.Text, in.Body.Note, onto, calls.Actor(ctx))
		if err != nil {
			return nil, err
		}
		return a.rulesFile(ctx, p, f)
	})
	calls.Call(t, "check-rules", func(ctx context.Context, in *struct {
		calls.ProjectPath
		Body contract.CheckRules
	}) (*calls.Body[contract.RulesChecked], error) {
		_, problems := rules.Read(in.Body.Text)
		return calls.Answer(contract.RulesChecked{Good: len(problems) == 0, Problems: from.Problems(problems)}), nil
	})
}

// scrubbingOff refuses rules that switch built-in scrubbing off and that are not
// in the project's rules already, unless who asks may administer: with them,
// secrets are stored.
func (a *handlers) scrubbingOff(ctx context.Context, p *projects.Project, set *rules.Set) error {
	if may, err := a.Allowed(ctx, access.CreateProjects, nil); may || err != nil {
		return err
	}
	var before []scrub.Rule
	if p.Rules != nil {
		before = p.Rules.Scrub
	}
	for _, r := range set.Scrub {
		if r.SwitchesOff() && !slices.ContainsFunc(before, r.Same) {
			return problem.New(problem.Forbidden, "scrub rule %q keeps what Firethorn takes out of every event, so secrets would be stored; only operators may push it. Narrow it to a field whose name means no secret, or ask an operator", r.Name)
		}
	}
	return nil
}

// serveRulesSchema serves the form of rules files.
func serveRulesSchema(w http.ResponseWriter, _ *http.Request) error {
	w.Header().Set("Content-Type", "application/schema+json")
	_, _ = w.Write(rules.Schema) // the reader may have gone
	return nil
}

// readRulesFile reads a rules file; its problems are an error that lists them.
func readRulesFile(text string) (*rules.Set, error) {
	set, problems := rules.Read(text)
	if len(problems) == 0 {
		return set, nil
	}
	return nil, invalid(problems)
}

func invalid(problems []rules.Problem) *web.Problem {
	p := &web.Problem{Type: "about:blank", Title: http.StatusText(http.StatusBadRequest), Status: http.StatusBadRequest,
		Code: string(problem.BadInput), Detail: "the rules have errors; nothing was changed: " + problems[0].String()}
	for _, pr := range problems {
		p.Errors = append(p.Errors, pr)
	}
	return p
}

// strangers refuses assign rules for people who have no role in the project.
func (a *handlers) strangers(ctx context.Context, p *projects.Project, set *rules.Set) error {
	var problems []rules.Problem
	for _, r := range set.Assigns {
		_, err := a.Store.Accounts.FindIn(ctx, r.To, p.ID, p.Name)
		if f, ok := errors.AsType[*problem.Error](err); ok {
			problems = append(problems,
				rules.Problem{Line: r.Line, Column: r.Column, Section: "assign", Rule: r.Name, Message: f.Pub})
			continue
		}
		if err != nil {
			return err
		}
	}
	if len(problems) > 0 {
		return invalid(problems)
	}
	return nil
}

func (a *handlers) rulesFile(ctx context.Context, p *projects.Project,
	f *projects.RulesFile) (*calls.Body[contract.Rules], error) {
	out := contract.Rules{Project: p.Name, Version: f.Version, By: f.Actor.Name, Note: f.Note, Text: f.Text}
	if f.Version > 0 {
		out.At = &f.At
	}
	var err error
	out.Off, err = a.rulesOff(ctx, p.ID, f.Version)
	return calls.Answer(out), err
}

func (a *handlers) rulesOff(ctx context.Context, project int64, version int) ([]contract.RuleOff, error) {
	list, err := a.Store.Projects.RulesOff(ctx, project, version)
	out := []contract.RuleOff{}
	for _, o := range list {
		out = append(out, contract.RuleOff{Section: o.Section, Rule: o.Rule, At: o.At, Why: o.Why})
	}
	return out, err
}
