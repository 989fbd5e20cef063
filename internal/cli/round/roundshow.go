package round

import (
	"context"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"time"

	"firethorn/internal/cli/show"
	"firethorn/internal/contract"
	"firethorn/internal/core/release"
)

// brief is what there is to know of an issue to decide about it.
type brief struct {
	ready   chan struct{}
	issue   contract.IssueDetail
	event   contract.Event
	owners  contract.Owners
	beside  contract.Beside
	history contract.History
	likely  contract.LikelyChanges
	err     error // of the issue itself; the rest may be missing
}

// brief gives what is known of the item at a place, and begins to fetch that of
// the next, so that it comes at once.
func (w *walk) brief(ctx context.Context, at int) *brief {
	b := w.fetch(ctx, at)
	if at+1 < len(w.items) {
		w.fetch(ctx, at+1)
	}
	<-b.ready
	return b
}

// partTime is how long an issue waits for what is shown beside it.
const partTime = 2 * time.Second

func (w *walk) fetch(ctx context.Context, at int) *brief {
	id := w.items[at].ID
	if b := w.briefs[id]; b != nil {
		return b
	}
	b := &brief{ready: make(chan struct{})}
	w.briefs[id] = b
	path := issueAPI(id)
	go func() {
		defer close(b.ready)
		within, cancel := context.WithTimeout(ctx, partTime)
		defer cancel()
		var wg sync.WaitGroup
		wg.Go(func() { _, b.err = w.cl.Call(ctx, http.MethodGet, path, nil, &b.issue) })
		for part, into := range map[string]any{"/events/newest": &b.event, "/owners": &b.owners, "/beside": &b.beside,
			"/history": &b.history, "/likely": &b.likely} {
			wg.Go(func() {
				// What is unknown in time is left out; the issue decides.
				_, _ = w.cl.Call(within, http.MethodGet, path+part, nil, into)
			})
		}
		wg.Wait()
	}()
	return b
}

// show prints the issue claimed.
func (w *walk) show(ctx context.Context) error {
	i := w.items[w.at]
	b := w.brief(ctx, w.at)
	if b.err != nil {
		return b.err
	}
	v := b.issue
	as := show.StyleOf(w.out)
	fmt.Fprintf(w.out, "\n[%d of %d] %s  %s  %s\n", w.at+1, max(len(w.items), w.left), v.ID,
		as.Bright(show.Plain(v.Headline)), as.Faint(show.Plain(v.Status)))
	fmt.Fprintf(w.out, "  why      %s\n", as.Problem(show.Plain(whyHere(i.Why))))
	if v.Message != "" {
		fmt.Fprintf(w.out, "           %s\n", show.Plain(show.Cut(strings.ReplaceAll(v.Message, "\n", " "), 160)))
	}
	w.origin(b, as)
	span := show.OrDash(v.FirstRelease)
	if v.LastRelease != v.FirstRelease {
		span += " → " + show.OrDash(v.LastRelease)
	}
	caught := "nothing caught it"
	if !v.Unhandled {
		caught = "caught"
	}
	most := v.ImpactText + "; " // what gives most of it, unless the counts say so
	if v.ImpactText == show.Counted(v.Users, "user") || v.ImpactText == show.Counted(v.Events, "event") {
		most = ""
	}
	fmt.Fprintf(w.out, "  impact   %.1f: %s%s, %s %s; %s; %s, %s\n", v.Impact, show.Plain(most),
		show.Counted(v.Users, "user"),
		show.Counted(v.Events, "event"), spark(v.Trend), show.Plain(span), v.Severity, caught)
	w.whose(b)
	for n, s := range b.beside.Similar {
		if n == 2 {
			break
		}
		fmt.Fprintf(w.out, "  like     %s  %s (%.0f %%): %s\n", s.ID, show.Plain(show.Cut(s.Headline, 50)), 100*s.Score,
			show.Plain(s.Status))
	}
	w.before(b)
	if len(b.likely.Changes) > 0 {
		c := b.likely.Changes[0]
		fmt.Fprintf(w.out, "  likely   brought by %s %s, %s %s (%.0f: %s)\n", release.Short(c.Hash),
			show.Plain(beginning(c.Subject, 60)), show.Plain(c.Author), show.Ago(c.Committed), c.Score,
			show.Plain(strings.Join(c.Reasons, "; ")))
	}
	fmt.Fprintln(w.out, as.Faint("  a accept  g give  s assign  p park  f fixed  d dismiss  m merge  + - severity  c comment  z undo  j later  q end  ? all"))
	return nil
}

// origin prints the blamed frame with its source lines.
func (w *walk) origin(b *brief, as show.Style) {
	for _, x := range b.event.Exceptions {
		for _, f := range x.Frames {
			if !f.Origin {
				continue
			}
			fmt.Fprintf(w.out, "  at       %s  %s\n", as.Bright(show.Plain(show.ShownFunction(f))),
				as.Faint(show.Plain(fmt.Sprintf("%s:%d", f.File, f.Line))))
			for _, l := range f.SourceLines {
				if l.Line < f.Line-2 || l.Line > f.Line+2 {
					continue
				}
				text := fmt.Sprintf("%6d  %s", l.Line,
					show.Plain(beginning(strings.ReplaceAll(l.Text, "\t", "  "), 140)))
				if l.Line == f.Line {
					fmt.Fprintf(w.out, "         ▶%s\n", as.Bright(text))
				} else {
					fmt.Fprintf(w.out, "          %s\n", as.Faint(text))
				}
			}
			return
		}
	}
	if b.issue.Place != "" {
		fmt.Fprintf(w.out, "  at       %s\n", show.Plain(b.issue.Place))
	}
}

// whose prints who has it, or who may.
func (w *walk) whose(b *brief) {
	owner := "nobody has it"
	if b.issue.Owner != nil {
		owner = *b.issue.Owner + " has it"
	}
	if len(b.owners.Proposals) > 0 {
		if p := b.owners.Proposals[0]; b.issue.Owner == nil || *b.issue.Owner != p.Name {
			owner += fmt.Sprintf("; g gives it to %s (%.0f: %s)", p.Name, p.Score, strings.Join(p.Reasons, "; "))
		}
	}
	fmt.Fprintf(w.out, "  owner    %s\n", show.Plain(owner))
}

// before prints what people decided and wrote about it last.
func (w *walk) before(b *brief) {
	left := 2
	for _, h := range b.history.History {
		if left == 0 {
			return
		}
		if h.Actor == "" || h.Undone || h.Kind == "undo" {
			continue
		}
		left--
		words := h.Text
		if h.Kind == "comment" {
			words = "writes: " + strings.Join(strings.Fields(words), " ")
		}
		if h.Why != "" {
			words += " — " + h.Why
		}
		fmt.Fprintf(w.out, "  before   %s, %s: %s\n", show.Ago(h.At), show.Plain(h.Actor),
			show.Plain(beginning(words, 120)))
	}
}

// beginning is the beginning of a text that goes on.
func beginning(s string, most int) string {
	if r := []rune(s); len(r) > most {
		return string(r[:most-1]) + "…"
	}
	return s
}

// spark draws days by their events.
func spark(days []contract.TrendDay) string {
	marks := []rune("▁▂▃▄▅▆▇█")
	most := int64(1)
	for _, d := range days {
		most = max(most, d.Events)
	}
	var b strings.Builder
	for _, d := range days {
		if d.Events == 0 {
			b.WriteRune('·')
			continue
		}
		b.WriteRune(marks[(d.Events*int64(len(marks)-1)+most-1)/most])
	}
	return b.String()
}
