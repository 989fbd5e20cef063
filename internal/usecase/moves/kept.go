package moves

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"slices"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/difference"
	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/events"
	"firethorn/internal/store/projects"
)

// Readable is a kept body as it reads with the symbols there are now.
type Readable struct {
	Event  *event.Event
	Frames [][]event.Frame
	Print  fingerprint.Result
}

// Reader makes a kept body readable.
type Reader func(ctx context.Context, body []byte) (Readable, error)

// ReaderOf makes the bodies of a project readable, with the symbols of units.
func ReaderOf(p pipeline.Project, units *pipeline.Units) Reader {
	return func(ctx context.Context, body []byte) (Readable, error) {
		e, frames, err := pipeline.Read(ctx, p, body, units)
		if err != nil {
			return Readable{}, err
		}
		print, _ := p.Method().Print(e, ThrownOf(e), frames)
		return Readable{Event: e, Frames: frames, Print: print}, nil
	}
}

// ThrownOf is when an event says that it was thrown; zero where it does not.
func ThrownOf(e *event.Event) time.Time {
	at, _ := time.Parse(time.RFC3339Nano, e.Time) // one that cannot be read is none
	return at
}

// try reads a body; ok is false of one that is not as it was written, which
// delays nobody.
func (read Reader) try(ctx context.Context, body []byte) (e Readable, ok bool, err error) {
	e, err = read(ctx, body)
	if _, away := errors.AsType[*pipeline.StoreError](err); err == nil || away || ctx.Err() != nil {
		return e, err == nil, err
	}
	return e, false, nil
}

// maxBodiesRead is how many bodies of an issue are read to find what its events
// differ in.
const maxBodiesRead = 400

// Kept is a body of an issue, with what its variant's key is without splits.
type Kept struct {
	Readable
	variant  int64
	base     fingerprint.Key // zero where an older version of grouping made it
	position int64           // 0 of one kept for good
	thrown   int64
}

// Settled says whether the variant's key shows that all its events have d.
func (k *Kept) Settled(d difference.Difference) bool {
	return k.Print.Variant == k.base && d.Holds(k.Event, k.Frames) && d.Settled(k.Print)
}

// KeptOf reads bodies of an issue: the newest, and those kept for good of its
// largest variants, each event once and made readable.
func (s *Service) KeptOf(ctx context.Context, p *projects.Project, id int64, read Reader,
	take func(k *Kept) error) error {
	type found struct {
		variant, position, thrown int64
		event, base, body         []byte
		version                   int
		dictionary                sql.NullInt64
	}
	var list []found
	scan := func(r *sql.Rows) error {
		var x found
		err := db.ScanNames(
			r,
			db.Into{
				"event":            &x.event,
				"variant":          &x.variant,
				"filing":           &x.position,
				"thrown":           &x.thrown,
				"base":             &x.base,
				"grouping_version": &x.version,
				"dictionary":       &x.dictionary,
				"body":             &x.body,
			},
		)
		list = append(list, x)
		return err
	}
	// Exemplars are kept without a dictionary.
	const exemplars = "SELECT x.event, v.id AS variant, 0 AS filing, x.thrown, COALESCE(v.base, v.hash) AS base, v.grouping_version, NULL AS dictionary, x.body FROM (SELECT * FROM variant WHERE issue=? ORDER BY events DESC LIMIT 100) v JOIN exemplar x ON x.variant=v.id"
	if err := db.Each(ctx, s.db, scan, exemplars, id); err != nil {
		return err
	}
	keys, err := s.events.KeysOfIssue(ctx, s.db, events.KeyQuery{Project: p.ID, Issue: id, Kept: true,
		Direction: events.Newest, Limit: maxBodiesRead})
	if err != nil {
		return err
	}
	const bodies = "SELECT e.id AS event, v.id AS variant, e.filing, e.thrown, COALESCE(v.base, v.hash) AS base, v.grouping_version, IF(b.filing IS NULL, n.dictionary, b.dictionary) AS dictionary, COALESCE(b.body, n.body) AS body FROM event e" +
		" JOIN variant v ON v.id=e.variant LEFT JOIN event_body b ON b.project=e.project AND b.filing=e.filing AND b.keep_day=e.keep_day LEFT JOIN newest_body n ON n.variant=e.variant AND n.filing=e.filing" +
		" WHERE (b.filing IS NOT NULL OR n.filing IS NOT NULL) AND "
	exemplarsFound := len(list)
	for cond, args := range events.ByKeys(p.ID, keys) {
		if err := db.Each(ctx, s.db, scan, bodies+cond, args...); err != nil {
			return err
		}
	}
	slices.SortFunc(list[exemplarsFound:], func(a, b found) int { return cmp.Compare(b.position, a.position) })
	seen := map[uuid.UUID]bool{}
	for _, x := range slices.Backward(list) { // an exemplar may be one of the newest
		id := uuid.UUID(x.event)
		if seen[id] {
			continue
		}
		seen[id] = true
		raw, err := s.events.UnpackBody(ctx, x.dictionary, x.body)
		if err != nil {
			return err
		}
		k := &Kept{variant: x.variant, position: x.position, thrown: x.thrown}
		ok := false
		if k.Readable, ok, err = read.try(ctx, raw); err != nil {
			return err
		}
		if !ok {
			continue
		}
		if x.version == p.GroupingVersion {
			k.base = fingerprint.Key(x.base)
		}
		if err := take(k); err != nil {
			return err
		}
	}
	return nil
}
