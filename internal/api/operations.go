package api

import (
	"context"
	"fmt"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"firethorn/internal/contract"
	"firethorn/internal/mariadb"
)

// slowFiling is when waiting events are worth a word.
const slowFiling = 30 * time.Second

func (a *API) operations(h huma.API) {
	op(h, a, "GET", "/api/status", "status", "Is all well", see, func(ctx context.Context, _ *noInput) (*body[contract.Status], error) {
		st, err := a.store.Inbox(ctx)
		if err != nil {
			return nil, err
		}
		out := contract.Status{Well: true, Waiting: st.Events, SetAside: st.SetAside, Advice: []string{}}
		if !st.Oldest.IsZero() {
			out.Oldest = &st.Oldest
			if age := time.Since(st.Oldest); age > slowFiling {
				out.Well = false
				out.Advice = append(out.Advice, fmt.Sprintf("the oldest event has waited %s to be filed: look at the service's log", age.Round(time.Second)))
			}
		}
		if st.SetAside > 0 {
			out.Advice = append(out.Advice, fmt.Sprintf("%d events could not be filed and were set aside; the service's log says why", st.SetAside))
		}
		return &body[contract.Status]{out}, nil
	})
	op(h, a, "GET", "/api/recount", "recount", "Compare every counter with the rows it stands for", administer, func(ctx context.Context, _ *noInput) (*body[contract.Recount], error) {
		list, err := a.store.Recount(ctx)
		out := contract.Recount{Compared: mariadb.Recounts(), Differences: []contract.Difference{}}
		for _, d := range list {
			out.Differences = append(out.Differences, contract.Difference(d))
		}
		return &body[contract.Recount]{out}, err
	})
}
