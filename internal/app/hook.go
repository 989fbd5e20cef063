package app

import (
	"context"
	"net/http"
	"net/url"

	"github.com/go-chi/chi/v5"

	"firethorn/internal/core/problem"
	"firethorn/internal/web"
)

// hookReceiver takes the webhooks of trackers.
type hookReceiver interface {
	Receive(ctx context.Context, name string, header http.Header, body []byte) error
}

// maxHook is how large a webhook may be, in bytes.
const maxHook = 1 << 20

// hook is where trackers send their webhooks. Only their signature authenticates them.
func hook(h hookReceiver) func(w http.ResponseWriter, r *http.Request) error {
	return func(w http.ResponseWriter, r *http.Request) error {
		name, err := url.PathUnescape(chi.URLParam(r, "name"))
		if err != nil {
			return problem.New(problem.BadInput, "the name of the tracker cannot be read")
		}
		body, err := web.ReadBody(w, r, web.Limits{Wire: maxHook, Plain: maxHook})
		if err != nil {
			return err
		}
		if err := h.Receive(r.Context(), name, r.Header, body); err != nil {
			return err
		}
		return web.WriteJSON(w, http.StatusAccepted, map[string]bool{"taken": true})
	}
}
