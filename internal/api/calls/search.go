package calls

import (
	"context"
	"time"

	"firethorn/internal/core/problem"
	"firethorn/internal/core/query"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/find"
)

// SearchIn is a search as calls take it.
type SearchIn struct {
	Search string `query:"search" maxLength:"10000" doc:"a search: docs/search.md"`
	Window string `query:"window" maxLength:"60" doc:"14d, 36h, 2026-11-01..2026-11-20, 2026-11-01T10:00Z..2026-11-01T14:00Z or all; default: the last 7 days"`
	Zone   string `query:"zone" maxLength:"60" doc:"the time zone of dates, such as Europe/Oslo; without, UTC"`
}

// Asker is who searches now.
func (a *Frame) Asker(ctx context.Context) find.Asker {
	out := find.Asker{Now: a.Store.DB.Now(), Zone: time.UTC}
	if g := GrantOf(ctx); g.Person != nil {
		out.Person = g.Person.ID
	}
	return out
}

// Ask makes a search from a request.
func (a *Frame) Ask(ctx context.Context, p *projects.Project, in SearchIn) (find.Ask, error) {
	out := find.Ask{Project: p, Text: in.Search, Asker: a.Asker(ctx)}
	if in.Zone != "" {
		zone, err := time.LoadLocation(in.Zone)
		if err != nil {
			return out, problem.New(
				problem.BadInput,
				"%q is no time zone that is known here; write one such as Europe/Oslo, or UTC",
				in.Zone,
			)
		}
		out.Zone = zone
	}
	if in.Window == "" {
		return out, nil
	}
	from, to, ok := query.WindowOf(in.Window, out.Now, out.Zone)
	if !ok {
		return out, problem.New(
			problem.BadInput,
			"%q is no window: write an age such as 14d or 36h, two dates such as 2026-11-01..2026-11-20, or all",
			in.Window,
		)
	}
	out.Window = &find.Window{From: from, To: to}
	return out, nil
}

// AgeOf reads a number of minutes, hours, days or weeks.
func AgeOf(text string) (time.Duration, bool) { return query.AgeOf(text) }
