// Package calls is the frame of the API: the table of all calls with their permissions,
// authentication, look-up of project and issue, and error answers. The sibling packages hold the
// handlers.
package calls

import (
	"context"
	"errors"
	"log/slog"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"firethorn/internal/pipeline"
	"firethorn/internal/repository"
	"firethorn/internal/web"

	"github.com/danielgtaylor/huma/v2"
	"golang.org/x/sync/semaphore"
)

// Frame is what all calls have in common: what they read and change, and who may.
type Frame struct {
	Store   Stores
	Code    *repository.Keeper // the history of projects' code
	Units   *pipeline.Units
	Log     *slog.Logger
	Public  *url.URL                       // links are built from it, never from the Host header
	Wake    func(project int64)            // something was put into the inbox; nil: nobody files here
	Disk    func() (free int64, err error) // of the private database; nil: it runs elsewhere
	Watch   Observer                       // nil: nobody measures
	Clients string                         // version of the clients that the service hands out
	Memory  *semaphore.Weighted            // bytes of bodies that are being read and worked on

	guesses *guesses
}

// NewFrame completes a frame.
func NewFrame(f Frame) *Frame {
	f.guesses, f.Memory = newGuesses(time.Now), semaphore.NewWeighted(bodyMemory)
	return &f
}

// Observer gets what metrics count.
type Observer interface {
	WrongSecret(what string)
}

func (a *Frame) failed(method, path string, err error) error {
	p, after := web.ProblemOf(err)
	if p.Status >= 500 && !errors.Is(err, context.Canceled) { // nobody waits for the answer any more
		a.Log.Error("request failed", "method", method, "path", path, "status", p.Status, "err", err)
	}
	if after > 0 {
		return huma.ErrorWithHeaders(p, http.Header{"Retry-After": {strconv.Itoa(after)}})
	}
	return p
}

// Body wraps the body of a request and of its answer.
type Body[T any] struct{ Body T }

// Answer wraps an answer.
func Answer[T any](v T) *Body[T] { return &Body[T]{v} }

// NoInput is an operation without parameters.
type NoInput struct{}

// ProjectPath is the path of what belongs to a project.
type ProjectPath struct {
	Project string `path:"project" doc:"the project's name"`
}

// ProjectName is the project that the path names.
func (p *ProjectPath) ProjectName() string { return p.Project }

// IssuePath is the path of an issue.
type IssuePath struct {
	ProjectPath
	Number int64 `path:"number" minimum:"1" doc:"the issue's number in its project"`
}

// IssueNumber is the number that the path names.
func (p *IssuePath) IssueNumber() int64 { return p.Number }
