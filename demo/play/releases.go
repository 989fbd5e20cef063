package main

import (
	"context"
	"fmt"
	"log"
	"strings"

	"firethorn/demo/code"
)

// release lets the team's commits reach a release, announces it as its build
// does, with what is new in the repository, pushes its source maps, and marks it
// as deployed. fixes is the issue that a commit's message names.
func (d *demo) release(ctx context.Context, project, version, fixes string) error {
	commit, err := d.repo.Reach(project+" "+version, fixes)
	if err != nil {
		return err
	}
	var t struct {
		Token string `json:"token"`
	}
	if err := d.json(ctx, &t, "token", "create", "build of "+project+" "+version, "--scope", "build", "--project",
		project); err != nil {
		return err
	}
	if err := d.do(ctx, "--token", t.Token, "release", "announce", "--project", project, "--release", version,
		"--commit", commit, "--repo", d.repo.Dir); err != nil {
		return err
	}
	if project != "bosun" { // Go's traces are readable as they are
		if err := d.pushSymbols(ctx, project, version); err != nil {
			return err
		}
	}
	return d.do(ctx, "--token", t.Token, "release", "mark-deployed", "--project", project, "--release", version,
		"--environment", "production")
}

// checkLikely asks for each bug that is planted which commit is the likeliest.
func (d *demo) checkLikely(ctx context.Context) error {
	first, all := 0, code.All()
	for _, p := range all {
		id, err := d.issue(ctx, p.Project, p.Bug)
		if err != nil {
			return err
		}
		var got struct {
			Changes []struct{ Subject string }
			Words   string
		}
		if err := d.json(ctx, &got, "issue", "likely", id, "--in", p.Release); err != nil {
			return err
		}
		switch {
		case len(got.Changes) > 0 && got.Changes[0].Subject == p.Subject:
			first++
		case len(got.Changes) > 0:
			log.Printf("%s (%s): %q is ranked first, and it came by %q", id, p.Bug, got.Changes[0].Subject, p.Subject)
		default:
			log.Printf("%s (%s): no change is likely: %s", id, p.Bug, got.Words)
		}
	}
	if err := d.checkOwners(ctx); err != nil {
		return err
	}
	log.Printf("likely changes: of %d planted bugs the commit that brought it is ranked first for %d", len(all), first)
	return nil
}

// checkOwners asks for each bug that is planted who should have it.
func (d *demo) checkOwners(ctx context.Context) error {
	first, all := 0, code.All()
	for _, p := range all {
		id, err := d.issue(ctx, p.Project, p.Bug)
		if err != nil {
			return err
		}
		var got struct {
			Proposals []struct {
				Name    string
				Reasons []string
			}
		}
		if err := d.json(ctx, &got, "issue", "owners", id); err != nil {
			return err
		}
		switch {
		case len(got.Proposals) == 0:
			log.Printf("%s (%s): nobody is proposed", id, p.Bug)
		case got.Proposals[0].Name != p.Author:
			log.Printf("%s (%s): %s brought it, and it is proposed to %s: %s", id, p.Bug, p.Author,
				got.Proposals[0].Name, strings.Join(got.Proposals[0].Reasons, "; "))
		default:
			first++
		}
	}
	log.Printf("owners: of %d planted bugs who brought it is proposed first for %d", len(all), first)
	return nil
}

// issue finds the one issue with a word in its headline.
func (d *demo) issue(ctx context.Context, project, text string) (string, error) {
	var list struct {
		Issues []struct {
			ID       string `json:"id"`
			Headline string `json:"headline"`
		} `json:"issues"`
	}
	if err := d.json(ctx, &list, "issue", "list", "--project", project, "--state", "all", "--text", text); err != nil {
		return "", err
	}
	if len(list.Issues) != 1 {
		return "", fmt.Errorf("%d issues of %s have %q in them, 1 should: %v", len(list.Issues), project, text,
			list.Issues)
	}
	return list.Issues[0].ID, nil
}
