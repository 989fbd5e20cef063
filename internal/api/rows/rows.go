// Package rows converts rows of the stores to the types of the contract.
package rows

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"firethorn/internal/contract"
	"firethorn/internal/core/commits"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/quality"
	"firethorn/internal/core/session"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/triage"

	"github.com/google/uuid"
)

// IssuesOf reports issues, as of now.
func IssuesOf(list []*issues.Issue, now time.Time) []contract.Issue {
	out := make([]contract.Issue, len(list))
	for i, is := range list {
		out[i] = IssueOf(is, now)
	}
	return out
}

// addStatus adds what is fixed in what, and what wakes a parked one.
func addStatus(out *contract.Issue, st issue.Status) {
	out.Status, out.CountOnly = issue.Describe(st), st.CountOnly
	if st.Fix != (issue.Fix{}) {
		out.Fix = &contract.Fix{Kind: string(cmp.Or(st.Kind, issue.FixRelease)), Text: st.Fix.Text(),
			Release: st.FixedIn, After: st.After, Commit: st.Commit, By: st.FixedBy}
		if !st.FixedAt.IsZero() {
			out.Fix.At = &st.FixedAt
		}
	}
	if p := st.Parked; st.State == issue.Parked {
		out.Parked = &contract.Park{Until: p.Until, Events: p.Events, Users: p.Users, Doubled: p.Doubled,
			NextRelease: p.NextRelease, NewEnvironment: p.NewEnvironment, Text: p.Text()}
	}
}

// IssueOf converts an issue, as of now.
func IssueOf(is *issues.Issue, now time.Time) contract.Issue {
	out := contract.Issue{
		ID: fmt.Sprintf("%s/%d", is.Project, is.Number), Headline: is.Headline, Place: is.Place, Message: is.Message,
		Origin: contract.Origin{Function: is.OriginFunction, File: is.OriginFile, Line: is.OriginLine},
		State:  string(is.State), FixedIn: is.FixedIn, Severity: cmp.Or(is.Status.Severity, is.Severity),
		Graded: is.Status.Severity != "", Unhandled: is.Unhandled, Events: is.Events, Users: is.Users,
		Impact: float64(is.Impact) / 10, ImpactText: is.Score.Text,
		FirstSeen: is.FirstSeen, LastSeen: is.LastSeen, FirstRelease: is.FirstRelease, LastRelease: is.LastRelease,
		Version: is.Version,
		Trend:   make([]contract.TrendDay, len(is.Trend)), Bodies: is.Bodies, Recounting: is.Recounting,
	}
	addStatus(&out, is.Status)
	out.Quiet = triage.Quiet(is.State, is.LastSeen, is.Trend, now)
	if is.Owner != "" {
		out.Owner = &is.Owner
	}
	if !is.SurgeSince.IsZero() {
		out.Surge = &contract.Surge{Since: is.SurgeSince, Text: is.SurgeText}
	}
	for i, d := range is.Trend {
		out.Trend[i] = contract.TrendDay{Day: d.Day.Format("2006-01-02"), Events: d.Events, Users: d.Users}
	}
	return out
}

// MappingsOf says where the files of builds lie in a project's repository.
func MappingsOf(p *projects.Project) []contract.Mapping {
	out := []contract.Mapping{}
	for _, m := range p.SourcePaths {
		out = append(out, contract.Mapping(m))
	}
	return out
}

// CommitLink is where people read a commit of a project; "" nowhere.
func CommitLink(p *projects.Project, hash string) string {
	if p.CommitLink == "" || hash == "" {
		return ""
	}
	return strings.ReplaceAll(p.CommitLink, projects.CommitMark, hash)
}

// CommitOf converts a commit, with the link where people read it.
func CommitOf(p *projects.Project, c commits.Commit) contract.Commit {
	return contract.Commit{Hash: c.Hash, Author: c.Author, Email: c.Email, Authored: c.Authored, Committed: c.Committed,
		Subject: c.Subject, Files: c.Files, Added: c.Added, Removed: c.Removed, Link: CommitLink(p, c.Hash)}
}

// SessionCount counts sessions by how they ended. Without any that ended, all are
// free of crashes; cutOff counts those that were cut off as crashed.
func SessionCount(by map[session.Outcome]int64, cutOff bool) contract.SessionCount {
	c := contract.SessionCount{Running: by[session.Running], Clean: by[session.Clean], Faulty: by[session.Faulty],
		Crashed: by[session.Crashed], CutOff: by[session.CutOff], CrashFree: 1}
	counts := quality.Counts{Running: c.Running, Clean: c.Clean, Faulty: c.Faulty, Crashed: c.Crashed, CutOff: c.CutOff}
	if c.Sessions = counts.All(); counts.Ended() > 0 {
		c.CrashFree = float64(counts.Ended()-counts.Bad(cutOff)) / float64(counts.Ended())
	}
	return c
}

// IDText is an id as text; "" for none.
func IDText(id uuid.UUID) string {
	if id == uuid.Nil {
		return ""
	}
	return id.String()
}

// ManyDone is the result of a decision about many issues.
func ManyDone(p *projects.Project, d *triage.ManyDone) contract.ManyDone {
	out := contract.ManyDone{Bulk: d.Bulk, Fits: len(d.Done) + len(d.Refused), Done: []string{},
		Refused: []contract.Refusal{}}
	for _, n := range d.Done {
		out.Done = append(out.Done, fmt.Sprintf("%s/%d", p.Name, n))
	}
	for n, why := range d.Refused {
		out.Refused = append(out.Refused, contract.Refusal{Issue: fmt.Sprintf("%s/%d", p.Name, n), Why: why})
	}
	slices.SortFunc(out.Refused, func(a, b contract.Refusal) int { return strings.Compare(a.Issue, b.Issue) })
	return out
}

// HandedIn lists what was handed over, by project.
func HandedIn(list []triage.HandedIn) []contract.HandedIn {
	out := []contract.HandedIn{}
	for _, h := range list {
		if len(h.Done.Done)+len(h.Done.Refused) > 0 {
			out = append(out, contract.HandedIn{Project: h.Project.Name, ManyDone: ManyDone(h.Project, h.Done)})
		}
	}
	return out
}
