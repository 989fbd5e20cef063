package releases

import (
	"context"
	"errors"
	"net/http"
	"slices"
	"time"

	"github.com/go-chi/chi/v5"

	"firethorn/internal/api/calls"
	"firethorn/internal/api/rows"
	"firethorn/internal/contract"
	"firethorn/internal/repository"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/projects"
	"firethorn/internal/web"
)

// bundleTime is how long sending and checking a bundle may take.
const bundleTime = 15 * time.Minute

func (a *handlers) repository(t *calls.Table) {
	calls.OnProject(t, "show-repository",
		func(ctx context.Context, p *projects.Project, in *calls.ProjectPath) (*calls.Body[contract.Repository],
			error) {
			out := contract.Repository{Project: p.Name, Address: p.Repository, CommitLink: p.CommitLink,
				Tips:        []string{},
				SourcePaths: rows.MappingsOf(p)}
			list, err := a.Store.Releases.Bundles(ctx, p.ID)
			if err != nil {
				return nil, err
			}
			for _, b := range list {
				out.Tips = append(out.Tips, b.Tip)
			}
			slices.Reverse(out.Tips)
			out.Tips = out.Tips[:min(len(out.Tips), maxTips)]
			out.Commits, out.Bytes, err = a.Store.Releases.CountCommits(ctx, p.ID)
			return calls.Answer(out), err
		})
}

// maxTips are returned to a build; older ones are usually ancestors of them.
const maxTips = 200

// putBundle takes a git bundle in: a project's history up to a commit.
func (a *handlers) putBundle(w http.ResponseWriter, r *http.Request) error {
	name := chi.URLParam(r, "project")
	p, err := a.Store.Projects.Project(r.Context(), name)
	if err != nil {
		return err
	}
	until := time.Now().Add(bundleTime)
	c := http.NewResponseController(w)
	if err := errors.Join(c.SetReadDeadline(until), c.SetWriteDeadline(until)); err != nil {
		return err
	}
	got, err := a.Code.Receive(r.Context(), p, r.Body, calls.Actor(r.Context()))
	if err != nil {
		return err
	}
	return web.WriteJSON(w, http.StatusCreated, bundleTaken(got))
}

func bundleTaken(r *repository.Received) contract.BundleTaken {
	return contract.BundleTaken{Tip: r.Tip, Commits: r.Commits, Notices: append([]string{}, r.Notices...)}
}

// fetchFor gets the commit of an announced release, where the service may. What
// goes wrong does not undo the announcement; it is said in the log.
func (a *handlers) fetchFor(ctx context.Context, p *projects.Project, commit string) error {
	if p.Repository == "" || commit == "" {
		return nil
	}
	g, err := a.Store.Releases.Graph(ctx, p.ID)
	if err != nil || g.Has(commit) || len(commit) < 40 {
		return err
	}
	if _, err := a.Code.Fetch(ctx, p, commit, accounts.Actor{Kind: "service"}); err != nil {
		a.Log.Warn("the commit of a release could not be fetched", "project", p.Name, "commit", commit, "err", err)
	}
	return nil
}
