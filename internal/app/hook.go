package app

import (
	"context"
	"net/http"
	"net/url"

	"github.com/go-chi/chi/v5"

	"firethorn/internal/core/fault"
	"firethorn/internal/web"
)

// hearer takes the webhooks of trackers.
type hearer interface {
	Hear(ctx context.Context, name string, header http.Header, body []byte) error
}

// maxHook is how large a webhook may be, in bytes.
const maxHook = 1 << 20

// hook is where trackers send their webhooks. Their signature is all that lets them in.
func hook(h hearer) func(w http.ResponseWriter, r *http.Request) error {
	return func(w http.ResponseWriter, r *http.Request) error {
		name, err := url.PathUnescape(chi.URLParam(r, "name"))
		if err != nil {
			return fault.New(fault.BadInput, "the name of the tracker cannot be read")
		}
		body, err := web.ReadBody(w, r, web.Limits{Wire: maxHook, Plain: maxHook})
		if err != nil {
			return err
		}
		if err := h.Hear(r.Context(), name, r.Header, body); err != nil {
			return err
		}
		return web.WriteJSON(w, http.StatusAccepted, map[string]bool{"taken": true})
	}
}
