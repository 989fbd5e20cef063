package similar

import (
	"cmp"
	"context"
	"database/sql"
	"slices"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/regroup"
	"firethorn/internal/db"
	"firethorn/internal/store/events"
)

// Observation is a stored event and how it is grouped, its body still packed.
type Observation struct {
	regroup.Observed // without event and frames
	Position         int64
	Received         time.Time
	Headline         string // of its issue
	Raw              []byte
	dictionary       sql.NullInt64 // that Raw is packed with
}

// WasRuled says whether a rule made what a variant was processed under.
const WasRuled = `LOCATE('"what":"rule"', v.parts)>0`

// observed reads what is known of events beside their bodies.
const observed = "SELECT e.id, e.filing, e.thrown, e.received, e.user, e.stands_for, i.number, l.headline, COALESCE(v.base_fingerprint, v.fingerprint) AS filed, v.base_fingerprint IS NOT NULL AS part, v.looked, " + WasRuled + " AS ruled, b.dictionary, b.body" +
	" FROM event e JOIN event_body b ON b.project=e.project AND b.filing=e.filing AND b.keep_day=e.keep_day" +
	" JOIN variant v ON v.id=e.variant JOIN issue i ON i.id=v.issue JOIN issue_list l ON l.issue=v.issue WHERE "

// observePage is how many bodies are read at once.
const observePage = 200

// Observe reads events whose bodies are kept, newest processed first, of those
// received since a time: at most so many. all is how many events there are
// since the oldest that was read. It ends early when fn gives an error.
func (s *Service) Observe(ctx context.Context, project int64, since time.Time, limit int,
	fn func(o *Observation) error) (all int64, err error) {
	before, last, read := int64(0), int64(0), 0
	for ended := false; !ended && read < limit; {
		list, err := s.observed(ctx, project, before, min(observePage, limit-read))
		if err != nil {
			return 0, err
		}
		for _, o := range list {
			if ended = o.Received.Before(since); ended { // the rest is older still
				break
			}
			if o.Raw, err = s.events.UnpackBody(ctx, o.dictionary, o.Raw); err != nil {
				return 0, err
			}
			if err := fn(o); err != nil {
				return 0, err
			}
			read++
			last = o.Position
		}
		if len(list) == 0 {
			break
		}
		before = list[len(list)-1].Position
	}
	if read == 0 {
		return 0, nil
	}
	cond, args, err := s.events.Behind(ctx, s.db.Slow, project, last-1)
	if err != nil {
		return 0, err
	}
	err = s.db.Slow.QueryRowContext(ctx, "SELECT COUNT(*) FROM event e WHERE "+cond, args...).Scan(&all)
	return all, err
}

// observed reads the next events before a position whose bodies are kept, the newest first.
func (s *Service) observed(ctx context.Context, project, before int64, limit int) (list []*Observation, err error) {
	keys, err := s.events.KeysOfBodies(ctx, s.db.Slow, project, before, limit)
	if err != nil {
		return nil, err
	}
	for cond, args := range events.ByKeys(project, keys) {
		err := db.Each(ctx, s.db.Slow, func(r *sql.Rows) error {
			o := &Observation{}
			var id, print []byte
			var thrown, received int64
			var user sql.NullInt64
			if err := db.ScanNames(r,
				db.Into{"id": &id, "filing": &o.Position, "thrown": &thrown, "received": &received, "user": &user,
					"stands_for": &o.StandsFor, "number": &o.Issue, "headline": &o.Headline, "filed": &print,
					"part": &o.Part, "looked": &o.Looked, "ruled": &o.Ruled, "dictionary": &o.dictionary,
					"body": &o.Raw}); err != nil {
				return err
			}
			o.ID, o.Thrown, o.Received = uuid.UUID(id).String(), db.FromMicros(thrown), db.FromMicros(received)
			o.User, o.HasUser, o.Stored = user.Int64, user.Valid, fingerprint.Key(print)
			list = append(list, o)
			return nil
		}, observed+cond, args...)
		if err != nil {
			return nil, err
		}
	}
	slices.SortFunc(list, func(a, b *Observation) int { return cmp.Compare(b.Position, a.Position) })
	return list, nil
}

// See gives the observation its event and frames.
func (o *Observation) See(e *event.Event, frames [][]event.Frame) *regroup.Observed {
	o.Event, o.Frames = e, frames
	return &o.Observed
}

// KeptSince says how many bodies of events are kept that were received since a
// time: at most so many.
func (s *Service) KeptSince(ctx context.Context, project int64, since time.Time, limit int) (n int, err error) {
	for before := int64(0); n < limit; {
		keys, err := s.events.KeysOfBodies(ctx, s.db.Slow, project, before, min(keysAtOnce, limit-n))
		if err != nil || len(keys) == 0 {
			return n, err
		}
		some := 0
		for cond, args := range events.ByKeys(project, keys) {
			var young int
			if err := s.db.Slow.QueryRowContext(ctx, "SELECT COUNT(*) FROM event e WHERE "+cond+" AND e.received>=?",
				append(args, db.Micros(since))...).Scan(&young); err != nil {
				return n, err
			}
			some += young
		}
		n += some
		if some < len(keys) { // the rest is older still
			break
		}
		before = keys[len(keys)-1].Position
	}
	return n, nil
}

// keysAtOnce is how many events are counted at once.
const keysAtOnce = 2000
