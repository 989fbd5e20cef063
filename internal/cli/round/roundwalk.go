package round

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/issues"
	"firethorn/internal/cli/show"
	"firethorn/internal/client"
	"firethorn/internal/contract"
	"firethorn/internal/core/issue"
	"firethorn/internal/core/problem"
)

// walk is a round in the terminal.
type walk struct {
	cl      *client.Client
	project string // "" for all
	out     io.Writer
	ask     asking

	asOf   time.Time
	items  []contract.RoundItem
	seen   map[string]bool // that were listed already: they do not come again in this round
	briefs map[string]*brief
	at     int
	steps  []step // what was done, for undo
	left   int
}

func (w *walk) run(ctx context.Context) error {
	w.briefs, w.seen = map[string]*brief{}, map[string]bool{}
	first, err := w.more(ctx)
	if err != nil {
		return err
	}
	if len(w.items) == 0 {
		fmt.Fprintf(w.out, "Nothing%s needs a decision of yours.%s\n", ofProjectWords(w.project), lastRound(first))
		return w.end(ctx)
	}
	fmt.Fprintf(w.out, "%s.%s ? shows the keys.\n", waiting(first), lastRound(first))
	for shown := -1; ; {
		if w.at >= len(w.items) && shown != w.at {
			if _, err := w.more(ctx); err != nil {
				return err
			}
		}
		switch {
		case shown == w.at:
		case w.at < len(w.items):
			if err := w.show(ctx); err != nil {
				return err
			}
		default:
			fmt.Fprintln(w.out, "\nThat was all. z takes back what you did last, q ends the round.")
		}
		shown = w.at
		key, rest, err := w.ask.key()
		if errors.Is(err, io.EOF) || key == "q" {
			return w.end(ctx)
		}
		if err != nil {
			return err
		}
		again, err := w.press(ctx, key, rest)
		if f, ok := errors.AsType[*problem.Error](err); ok && f.Code != problem.NoServer {
			fmt.Fprintf(w.out, "  %s\n", show.Plain(f.Pub))
			if f.Code == problem.Stale {
				again, err = true, w.reload(ctx)
			} else {
				err = nil
			}
		} else if u, ok := errors.AsType[*command.UsageError](err); ok {
			fmt.Fprintf(w.out, "  %s\n", show.Plain(u.Error()))
			err = nil
		}
		if err != nil {
			return err
		}
		if again {
			shown = -1
		}
	}
}

// url is a path of the round, with a query.
func (w *walk) url(path, query string) string {
	return roundPath(path, w.project, query)
}

// more reads what waits, and adds what was not listed yet.
func (w *walk) more(ctx context.Context) (contract.Round, error) {
	var r contract.Round
	if _, err := w.cl.Call(ctx, http.MethodPost, w.url("", "limit=200"), nil, &r); err != nil {
		return r, err
	}
	w.asOf = r.AsOf
	for _, i := range r.Items {
		if !w.seen[i.ID] {
			w.seen[i.ID] = true
			w.items = append(w.items, i)
		}
	}
	w.left = max(w.left, r.Waiting)
	return r, nil
}

// end ends the round and sums it up.
func (w *walk) end(ctx context.Context) error {
	var e contract.RoundEnd
	if _, err := w.cl.Call(ctx, http.MethodPost, w.url("/end", ""), nil, &e); err != nil {
		return err
	}
	showRoundEnd(w.out, e)
	return nil
}

func (w *walk) item() *contract.RoundItem { return &w.items[w.at] }

// reload reads the issue again, after another person changed it.
func (w *walk) reload(ctx context.Context) error {
	delete(w.briefs, w.item().ID)
	b := w.brief(ctx, w.at)
	w.item().Issue = b.issue.Issue
	return b.err
}

// press does what a key means. again: the issue is to be shown again.
func (w *walk) press(ctx context.Context, key, rest string) (again bool, err error) {
	needs := func(prompt string) (string, error) {
		if rest != "" {
			return rest, nil
		}
		return w.ask.line(prompt)
	}
	if w.at >= len(w.items) && key != "z" && key != "k" && key != "?" && key != "" {
		return false, command.Usage("nothing is in hand any more: z takes back what you did last, q ends the round")
	}
	switch key {
	case "":
		return false, nil
	case "?":
		fmt.Fprint(w.out, show.IndentAll(roundKeys, "  "))
	case "a":
		return false, w.decide(ctx, "accept", contract.Act{})
	case "d":
		return false, w.decide(ctx, "dismiss", contract.Act{})
	case "g":
		b := w.brief(ctx, w.at)
		if len(b.owners.Proposals) == 0 {
			return false, command.Usage("no owner is proposed; s assigns it to a person you name")
		}
		return false, w.decide(ctx, "assign", contract.Act{To: b.owners.Proposals[0].Name})
	case "s":
		to, err := needs("to whom? (a name or an email address)")
		if err != nil || to == "" {
			return false, err
		}
		return false, w.decide(ctx, "assign", contract.Act{To: to})
	case "p":
		words, err := needs("until? (2w, 2026-12-24, users 10, events 500, next, environment, doubled; several, whichever comes first)")
		if err != nil || words == "" {
			return false, err
		}
		p, err := parkFrom(words)
		if err != nil {
			return false, err
		}
		return false, w.decide(ctx, "park", contract.Act{Park: p})
	case "f":
		words, err := needs("in what? (a release, next, now, or commit HASH)")
		if err != nil || words == "" {
			return false, err
		}
		return false, w.decide(ctx, "fix", fixFrom(words))
	case "m":
		into, err := needs("into which issue?")
		if err != nil || into == "" {
			return false, err
		}
		return false, w.merge(ctx, into)
	case "c":
		text, err := needs("what do you say?")
		if err != nil || text == "" {
			return false, err
		}
		var c contract.Commented
		if _, err := w.cl.Call(ctx, http.MethodPost, issueAPI(w.item().ID)+"/comments",
			contract.WriteComment{Text: text}, &c); err != nil {
			return false, err
		}
		w.steps = append(w.steps, step{at: w.at, kind: commented, comment: c.Comment})
		fmt.Fprintln(w.out, "  said")
	case "+", "-":
		return false, w.grade(ctx, key)
	case "z":
		return w.undo(ctx)
	case "j":
		return false, w.later(ctx)
	case "k":
		if w.at > 0 {
			w.at--
		}
	case "i":
		b := w.brief(ctx, w.at)
		if b.err != nil {
			return false, b.err
		}
		issues.ShowImpact(w.out, b.issue.Impact, b.issue.ImpactParts)
	case "t":
		b := w.brief(ctx, w.at)
		if b.err != nil {
			return false, b.err
		}
		issues.ShowTrace(w.out, b.event, false)
	default:
		return false, command.Usage("%s is no key here; ? shows the keys", key)
	}
	return false, nil
}

// decide decides about the issue that is shown, unless another person changed it in
// between, and goes on to the next.
func (w *walk) decide(ctx context.Context, verb string, act contract.Act) error {
	i := w.item()
	var now contract.IssueDetail
	if err := w.cl.Match(ctx, issueAPI(i.ID)+"/"+verb, i.Version, act, &now); err != nil {
		return err
	}
	i.Issue = now.Issue
	delete(w.briefs, i.ID)
	fmt.Fprintf(w.out, "  %s: %s\n", i.ID, show.Plain(now.Status))
	w.steps = append(w.steps, step{at: w.at})
	w.at++
	return nil
}

func (w *walk) merge(ctx context.Context, into string) error {
	i := w.item()
	own, _, _ := strings.Cut(i.ID, "/")
	if !strings.Contains(into, "/") {
		into = own + "/" + into
	}
	project, n, err := w.cl.Issue(into)
	if err != nil {
		return err
	}
	if project != own {
		return command.Usage("%s is of another project; issues are merged within one", into)
	}
	var now contract.IssueDetail
	if _, err := w.cl.Call(ctx, http.MethodPost, issueAPI(i.ID)+"/merge", contract.Merge{Into: n}, &now); err != nil {
		return err
	}
	fmt.Fprintf(w.out, "  %s leads to %s now\n", i.ID, now.ID)
	w.steps = append(w.steps, step{at: w.at, kind: merged})
	w.at++
	return nil
}

// severer is the next severity in a direction; "" at the end.
func severer(severity, key string) string {
	by := -1 // the worst stands first
	if key == "-" {
		by = 1
	}
	n := slices.Index(issue.Severities, severity)
	if n < 0 || n+by < 0 || n+by >= len(issue.Severities) {
		return ""
	}
	return issue.Severities[n+by]
}

func (w *walk) grade(ctx context.Context, key string) error {
	i := w.item()
	to := severer(i.Severity, key)
	if to == "" {
		return command.Usage("it is %s already", i.Severity)
	}
	var now contract.IssueDetail
	if err := w.cl.Match(ctx, issueAPI(i.ID)+"/severity", i.Version, contract.Act{Severity: to},
		&now); err != nil {
		return err
	}
	i.Issue = now.Issue
	delete(w.briefs, i.ID)
	w.steps = append(w.steps, step{at: w.at, kind: graded})
	fmt.Fprintf(w.out, "  called %s; impact %.1f\n", to, now.Impact)
	return nil
}

// later leaves the issue as it is. What waits for a decision comes again in the
// next round; what is accepted comes when something new happens.
func (w *walk) later(ctx context.Context) error {
	done := step{at: w.at, kind: putOff}
	if i := w.item(); i.State == "accepted" {
		if err := w.pass(ctx, i.ID, false); err != nil {
			return err
		}
		done.kind = seen
	}
	w.steps = append(w.steps, done)
	w.at++
	return nil
}

// pass says that an issue was seen, or was not.
func (w *walk) pass(ctx context.Context, id string, back bool) error {
	_, err := w.cl.Call(ctx, http.MethodPost, "/api/round/pass",
		contract.Pass{Issues: []string{id}, AsOf: w.asOf, Back: back}, nil)
	return err
}

func issueAPI(id string) string {
	project, number, _ := strings.Cut(id, "/")
	return "/api/issues/" + url.PathEscape(project) + "/" + number
}

// parkFrom reads a condition: a time, or words with numbers.
func parkFrom(text string) (*contract.Park, error) {
	p := &contract.Park{}
	fields := strings.Fields(strings.ReplaceAll(text, ",", " "))
	number := func(i int) (int64, error) {
		if i+1 < len(fields) {
			if n, err := strconv.ParseInt(fields[i+1], 10, 64); err == nil && n > 0 {
				return n, nil
			}
		}
		return 0, command.Usage("how many? write for example %s 10", fields[i])
	}
	for i := 0; i < len(fields); i++ {
		var err error
		switch fields[i] {
		case "users":
			p.Users, err = number(i)
			i++
		case "events":
			p.Events, err = number(i)
			i++
		case "next":
			p.NextRelease = true
		case "environment":
			p.NewEnvironment = true
		case "doubled":
			p.Doubled = true
		case "or":
		default:
			p.Until, err = issues.MomentOf(fields[i], time.Now())
		}
		if err != nil {
			return nil, err
		}
	}
	return p, nil
}

// fixFrom reads in what an issue is fixed.
func fixFrom(text string) contract.Act {
	switch fields := strings.Fields(text); {
	case text == "next":
		return contract.Act{Next: true}
	case text == "now":
		return contract.Act{Now: true}
	case len(fields) == 2 && fields[0] == "commit":
		return contract.Act{Commit: fields[1]}
	}
	return contract.Act{Release: text}
}
