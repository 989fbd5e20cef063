package similar

import (
	"context"
	"database/sql"
	"time"

	"github.com/google/uuid"

	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/regroup"
	"firethorn/internal/db"
)

// Observation is a stored event and how it is grouped, its body still packed.
type Observation struct {
	regroup.Observed // without event and frames
	Filing           int64
	Received         time.Time
	Headline         string // of its issue
	Raw              []byte
}

// WasRuled says whether a rule made what a variant was filed under.
const WasRuled = `LOCATE('"what":"rule"', v.parts)>0`

// observed reads what is known of events beside their bodies.
const observed = "SELECT e.id, e.filing, e.thrown, e.received, e.user, e.stands_for, i.number, l.headline, COALESCE(v.base_fingerprint, v.fingerprint) AS filed, v.base_fingerprint IS NOT NULL AS part, v.looked, " + WasRuled + " AS ruled, b.dictionary, b.body" +
	" FROM (SELECT * FROM event_body WHERE project=? AND filing<? ORDER BY filing DESC LIMIT ?) b JOIN event e ON e.project=b.project AND e.filing=b.filing AND e.keep_day=b.keep_day" +
	" JOIN variant v ON v.id=e.variant JOIN issue i ON i.id=v.issue JOIN issue_list l ON l.issue=v.issue ORDER BY b.filing DESC"

// observePage is how many bodies are read at once.
const observePage = 200

// Observe reads events whose bodies are kept, newest filed first, of those
// received since a time: at most so many. all is how many events there are
// since the oldest that was read. It ends early when fn gives an error.
func (s *Service) Observe(ctx context.Context, project int64, since time.Time, most int,
	fn func(o *Observation) error) (all int64, err error) {
	before, last, read := int64(1)<<62, int64(0), 0
	for ended := false; !ended && read < most; {
		var list []*Observation
		var packed [][]byte
		var dictionaries []sql.NullInt64
		err := db.Each(ctx, s.db.Slow, func(r *sql.Rows) error {
			o := &Observation{}
			var id, print, body []byte
			var thrown, received int64
			var user, dictionary sql.NullInt64
			if err := db.ScanNames(r,
				db.Into{"id": &id, "filing": &o.Filing, "thrown": &thrown, "received": &received, "user": &user,
					"stands_for": &o.StandsFor, "number": &o.Issue, "headline": &o.Headline, "filed": &print,
					"part": &o.Part, "looked": &o.Looked, "ruled": &o.Ruled, "dictionary": &dictionary,
					"body": &body}); err != nil {
				return err
			}
			o.ID, o.Thrown, o.Received = uuid.UUID(id).String(), db.FromMicros(thrown), db.FromMicros(received)
			o.User, o.HasUser, o.Filed = user.Int64, user.Valid, fingerprint.Key(print)
			list, packed, dictionaries = append(list, o), append(packed, body), append(dictionaries, dictionary)
			return nil
		}, observed, project, before, min(observePage, most-read))
		if err != nil {
			return 0, err
		}
		for i, o := range list {
			if ended = o.Received.Before(since); ended { // the rest is older still
				break
			}
			if o.Raw, err = s.events.UnpackBody(ctx, dictionaries[i], packed[i]); err != nil {
				return 0, err
			}
			if err := fn(o); err != nil {
				return 0, err
			}
			read++
			last = o.Filing
		}
		if len(list) == 0 {
			break
		}
		before = list[len(list)-1].Filing
	}
	if read == 0 {
		return 0, nil
	}
	err = s.db.Slow.QueryRowContext(ctx, "SELECT COUNT(*) FROM event WHERE project=? AND filing>=?", project,
		last).Scan(&all)
	return all, err
}

// See gives the observation its event and frames.
func (o *Observation) See(e *event.Event, frames [][]event.Frame) *regroup.Observed {
	o.Event, o.Frames = e, frames
	return &o.Observed
}

// KeptSince says how many bodies of events are kept that were received since a
// time: at most so many.
func (s *Service) KeptSince(ctx context.Context, project int64, since time.Time, most int) (n int, err error) {
	err = s.db.Slow.QueryRowContext(ctx, "SELECT COUNT(*) FROM (SELECT 1 FROM event_body b JOIN event e ON e.project=b.project AND e.filing=b.filing AND e.keep_day=b.keep_day WHERE b.project=? AND e.received>=? LIMIT ?) k", project, db.Micros(since), most).Scan(&n)
	return n, err
}
