package worker

import (
	"context"
	"log/slog"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/pipeline"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/ingest"
	"firethorn/internal/usecase/regrouping"
)

// Needs are what a worker works with.
type Needs struct {
	Queue    Queue
	Projects Projects
	Batches  Batches
	Grouping Grouping
	Symbols  Symbols
	Units    *pipeline.Units
	Log      *slog.Logger
	// Owner names the process among those that share the database. One that is
	// started again under the same name need not wait for its own leases to run
	// out, so no two that live may have the same.
	Owner uuid.UUID
	Watch Observer // nil: nobody measures
}

// Queue is the inbox: deliveries of projects, in shards that processes share.
type Queue interface {
	TakeLeases(ctx context.Context, owner uuid.UUID, hold time.Duration) ([]inbox.Lease, error)
	ReleaseLeases(ctx context.Context, owner uuid.UUID) error
	Waiting(ctx context.Context, leases []inbox.Lease) ([]int64, error)
	Claim(ctx context.Context, l inbox.Lease, project int64, again bool) (*inbox.Claim, error)
	Suspect(ctx context.Context, c *inbox.Claim, event uuid.UUID) error
}

// Projects are the projects with their rules.
type Projects interface {
	ProjectByID(ctx context.Context, id int64) (*projects.Project, error)
	GiveRules(ctx context.Context, p *projects.Project, version int) error
	SwitchOff(ctx context.Context, project int64, off projects.RuleOff) error
}

// Batches writes a batch in one transaction.
type Batches interface {
	Process(ctx context.Context, b ingest.Batch) (ingest.Done, error)
}

// Grouping finds a project's issues under another grouping version.
type Grouping interface {
	AdoptGrouping(ctx context.Context, project int64, to int, print regrouping.Printer) (variants int, err error)
}

// Symbols are pushed symbols, which have forms.
type Symbols interface {
	PrepareSymbolsAnew(ctx context.Context, project int64, form int) (int64, error)
}

// Observer gets what was processed, for metrics.
type Observer interface {
	// Processed is called after each turn: new events, repeats, events failed,
	// and how long the oldest of them had waited.
	Processed(events, repeats, failed int, waited time.Duration)
}
