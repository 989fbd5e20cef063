package api

import (
	"context"
	"errors"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"firethorn/internal/contract"
	"firethorn/internal/core/commits"
	"firethorn/internal/repository"
	"firethorn/internal/store/accounts"
	"firethorn/internal/store/projects"
	"firethorn/internal/web"
)

// bundleTime is how long sending and checking a bundle may take.
const bundleTime = 15 * time.Minute

func (a *API) repository(t *table) {
	onProject(t, "show-repository",
		func(ctx context.Context, p *projects.Project, in *ProjectPath) (*body[contract.Repository], error) {
			out := contract.Repository{Project: p.Name, Address: p.Repository, CommitLink: p.CommitLink,
				Tips:        []string{},
				SourcePaths: mappingsOf(p)}
			list, err := a.store.Releases.Bundles(ctx, p.ID)
			if err != nil {
				return nil, err
			}
			for _, b := range list {
				out.Tips = append(out.Tips, b.Tip)
			}
			slices.Reverse(out.Tips)
			out.Tips = out.Tips[:min(len(out.Tips), mostTips)]
			out.Commits, out.Bytes, err = a.store.Releases.CountCommits(ctx, p.ID)
			return &body[contract.Repository]{out}, err
		})
}

func mappingsOf(p *projects.Project) []contract.Mapping {
	out := []contract.Mapping{}
	for _, m := range p.SourcePaths {
		out = append(out, contract.Mapping(m))
	}
	return out
}

// mostTips are told to a build; older ones are ancestors of them, as a rule.
const mostTips = 200

// putBundle takes a git bundle in: a project's history up to a commit.
func (a *API) putBundle(w http.ResponseWriter, r *http.Request) error {
	name := chi.URLParam(r, "project")
	if err := a.may(r.Context(), announce, name); err != nil {
		return err
	}
	p, err := a.store.Projects.Project(r.Context(), name)
	if err != nil {
		return err
	}
	until := time.Now().Add(bundleTime)
	c := http.NewResponseController(w)
	if err := errors.Join(c.SetReadDeadline(until), c.SetWriteDeadline(until)); err != nil {
		return err
	}
	got, err := a.code.Receive(r.Context(), p, r.Body, actor(r.Context()))
	if err != nil {
		return err
	}
	return web.WriteJSON(w, http.StatusCreated, bundleTaken(got))
}

func bundleTaken(r *repository.Received) contract.BundleTaken {
	return contract.BundleTaken{Tip: r.Tip, Commits: r.Commits, Told: append([]string{}, r.Told...)}
}

// fetchFor gets the commit of an announced release, where the service may. What
// goes wrong does not undo the announcement; it is said in the log.
func (a *API) fetchFor(ctx context.Context, p *projects.Project, commit string) error {
	if p.Repository == "" || commit == "" {
		return nil
	}
	g, err := a.store.Releases.Graph(ctx, p.ID)
	if err != nil || g.Has(commit) || len(commit) < 40 {
		return err
	}
	if _, err := a.code.Fetch(ctx, p, commit, accounts.Actor{Kind: "service"}); err != nil {
		a.log.Warn("the commit of a release could not be fetched", "project", p.Name, "commit", commit, "err", err)
	}
	return nil
}

// commitLink is where people read a commit of a project; "" nowhere.
func commitLink(p *projects.Project, hash string) string {
	if p.CommitLink == "" || hash == "" {
		return ""
	}
	return strings.ReplaceAll(p.CommitLink, projects.CommitMark, hash)
}

func commitOf(p *projects.Project, c commits.Commit) contract.Commit {
	return contract.Commit{Hash: c.Hash, Author: c.Author, Email: c.Email, Authored: c.Authored, Committed: c.Committed,
		Subject: c.Subject, Files: c.Files, Added: c.Added, Removed: c.Removed, Link: commitLink(p, c.Hash)}
}
