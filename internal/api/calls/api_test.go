package calls

import (
	"errors"
	"log/slog"
	"testing"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"firethorn/internal/core/problem"
	"firethorn/internal/web"
)

func TestFailed_SaysWhenToComeBackInSeconds(t *testing.T) {
	a := &Frame{Log: slog.New(slog.DiscardHandler)}
	err := a.failed("GET", "/x", &problem.Error{Code: problem.Unavailable, Pub: "the database is away", Retry: 5 * time.Second})
	h, ok := errors.AsType[huma.HeadersError](err)
	if !ok || h.GetHeaders().Get("Retry-After") != "5" { // RFC 9110, section 10.2.3
		t.Errorf("failed = %v without a Retry-After of 5", err)
	}
	if p, ok := errors.AsType[*web.Problem](err); !ok || p.Status != 503 || p.Detail != "the database is away" {
		t.Errorf("failed = %v", err)
	}
}
