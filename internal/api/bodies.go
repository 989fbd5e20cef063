package api

import (
	"net/http"
	"strings"
	"time"

	"firethorn/internal/core/fault"
	"firethorn/internal/web"
)

// Bounds of the bodies that calls take, in bytes. What nobody has signed in for
// is small.
const (
	maxCallBody   = 4 << 20
	maxSignInBody = 4 << 10
	bodyMemory    = 512 << 20 // of all that are being read and worked on: a symbol upload may take half of it
	bodyTime      = 30 * time.Second
)

func maxBody(need action) int64 {
	if need == signIn {
		return maxSignInBody
	}
	return maxCallBody
}

// errBodiesFull says that as much is being uploaded as memory should hold.
var errBodiesFull = &fault.Error{Op: "api.boundBodies", Code: fault.Unavailable, Retry: 5 * time.Second, Pub: "too much is being uploaded at once; send the same request again in a moment"}

// slow says whether a call may take longer than others: it compares all that is
// stored, or streams its progress.
func slow(r *http.Request) bool {
	return r.URL.Path == "/api/recount" || strings.HasSuffix(r.URL.Path, "/live")
}

// boundBodies takes the memory of a request's body out of a budget that all
// requests share, for as long as the request is worked on. Uploads count what
// they inflate themselves.
func (a *API) boundBodies(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if slow(r) {
			if err := unlimited(w); err != nil {
				web.WriteError(w, r, a.log, err)
				return
			}
		}
		size := r.ContentLength
		if size < 0 || size > maxCallBody {
			size = maxCallBody
		}
		if size > 0 {
			if !a.memory.TryAcquire(size) {
				web.WriteError(w, r, a.log, errBodiesFull)
				return
			}
			defer a.memory.Release(size)
		}
		next.ServeHTTP(w, r)
	})
}
