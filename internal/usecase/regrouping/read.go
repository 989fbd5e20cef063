package regrouping

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"

	"firethorn/internal/core/event"
	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/regroup"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/issues"
	"firethorn/internal/usecase/ingest"
	"firethorn/internal/usecase/moves"
)

// Looker opens a kept body for another look at how it is grouped.
type Looker func(ctx context.Context, p pipeline.Project, raw []byte) (*pipeline.Kept, error)

// LookerOf opens bodies with the symbols of units.
func LookerOf(units *pipeline.Units) Looker {
	return func(ctx context.Context, p pipeline.Project, raw []byte) (*pipeline.Kept, error) {
		return pipeline.Observe(ctx, p, raw, units)
	}
}

const (
	readVariants = 100   // of one step
	readBodies   = 2_000 // after which a step ends
	readPage     = 200
)

// aVariant is a variant as it stands before it is regrouped.
type aVariant struct {
	id, issue, events int64
	version, rules    int
	stored            fingerprint.Key // without splits
	part, looked      bool
}

// foundPart is what of a variant the new way distinguishes.
type foundPart struct {
	hash, print, plain fingerprint.Key
	rule               string
	looked             bool
	provisional        bool
	parts              string
	position           int64 // of the event that shows it
	shown              shownEvent
	events             []moves.BodyKey
	forms              [][]byte // bodies kept for good
}

// shownEvent is what of an event a new issue is shown by, as it is written down.
type shownEvent struct {
	Headline, Place, Message   string
	OriginFunction, OriginFile string
	OriginLine                 int
	Severity                   string
	Unhandled                  bool
	Position                   int64 `json:"Filing"` // the name that rows were stored with
	Thrown                     int64
}

func (e shownEvent) shown() issues.Shown {
	return issues.Shown{Headline: e.Headline, Place: e.Place, Message: e.Message, OriginFunction: e.OriginFunction,
		OriginFile: e.OriginFile, OriginLine: e.OriginLine, Severity: e.Severity, Unhandled: e.Unhandled}
}

// read looks at the kept bodies of some variants and notes what the new way
// distinguishes of each; after the last it makes the plan.
func (w *regrouping) read(ctx context.Context) error {
	var list []aVariant
	cond, args := w.scope()
	err := db.Each(ctx, w.s.db, func(r *sql.Rows) error {
		var v aVariant
		var stored []byte
		if err := db.ScanNames(r,
			db.Into{"id": &v.id, "issue": &v.issue, "events": &v.events, "grouping_version": &v.version,
				"rules_version": &v.rules, "filed": &stored, "part": &v.part, "looked": &v.looked}); err != nil {
			return err
		}
		v.stored = fingerprint.Key(stored)
		list = append(list, v)
		return nil
	}, "SELECT id, issue, events, grouping_version, rules_version, COALESCE(base_fingerprint, fingerprint) AS filed, base_fingerprint IS NOT NULL AS part, looked FROM variant v WHERE "+cond+" AND v.id>? ORDER BY v.id LIMIT ?", append(args, w.at, readVariants)...)
	if err != nil {
		return err
	}
	if len(list) == 0 {
		return w.plan(ctx)
	}
	read, done := 0, 0
	found := make([][]*foundPart, 0, len(list))
	for _, v := range list {
		parts, n, err := w.parts(ctx, v)
		if err != nil {
			return err
		}
		found = append(found, parts)
		read, done = read+n, done+1
		if read >= readBodies {
			break
		}
	}
	list = list[:done]
	return w.s.db.InTx(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, "UPDATE regroup SET at_variant=?, variants=variants+?, bodies=bodies+? WHERE id=? AND at_variant=? AND pass=? AND state=?", list[done-1].id, done, read, w.ID, w.at, w.pass, string(w.State))
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n == 0 { // it was stopped, or somebody else has come further
			return err
		}
		return w.note(ctx, tx, list, found)
	})
}

func (w *regrouping) note(ctx context.Context, tx *sql.Tx, list []aVariant, found [][]*foundPart) error {
	var parts, events, forms [][]any
	for i, v := range list {
		whole := len(found[i]) == 1
		for _, f := range found[i] {
			shown, err := json.Marshal(f.shown)
			if err != nil {
				return err
			}
			var plain any
			if f.looked {
				plain = f.plain[:]
			}
			parts = append(parts,
				[]any{w.ID, w.pass, v.id, f.hash[:], f.print[:], event.TrimText(f.rule, 60), whole,
					max(len(f.events), 1), f.looked, f.provisional, plain, f.parts, string(shown)})
			if whole {
				continue
			}
			for _, k := range f.events {
				events = append(events, []any{w.ID, w.pass, v.id, f.hash[:], k.Position, k.KeepDay})
			}
			for _, form := range f.forms {
				forms = append(forms, []any{w.ID, w.pass, v.id, f.hash[:], form})
			}
		}
	}
	if err := db.InsertRows(ctx, tx, "INSERT INTO regroup_part (regroup, pass, variant, hash, fingerprint, rule, whole, bodies, looked, provisional, plain_fingerprint, parts, shown)", "", parts); err != nil {
		return err
	}
	if err := db.InsertRows(ctx, tx, "INSERT IGNORE INTO regroup_event (regroup, pass, variant, hash, filing, keep_day)", "", events); err != nil {
		return err
	}
	return db.InsertRows(ctx, tx, "INSERT IGNORE INTO regroup_exemplar (regroup, pass, variant, hash, form)", "", forms)
}

// packedBody is a kept body of a variant; form is of one that is kept for good.
type packedBody struct {
	moves.BodyKey
	thrown     int64
	form       []byte
	dictionary sql.NullInt64
	body       []byte
}

// parts sorts the kept bodies of a variant into parts; n is how many were read.
func (w *regrouping) parts(ctx context.Context, v aVariant) (out []*foundPart, n int, err error) {
	r := partsReader{w: w, v: v, by: map[fingerprint.Key]*foundPart{}}
	// The newest body may stand apart, and those kept for good are mostly of
	// events that are read anyway.
	read, err := r.keptBodies(ctx)
	if err != nil {
		return nil, r.n, err
	}
	var few []packedBody
	same := len(r.out) == 1 // then those of events that were read are as they are
	err = db.Each(ctx, w.s.db, func(r *sql.Rows) error {
		var x packedBody
		var id []byte
		err := r.Scan(&x.form, &id, &x.Position, &x.KeepDay, &x.thrown, &x.dictionary, &x.body)
		if err == nil && !(same && x.form != nil && read[[16]byte(id)]) {
			few = append(few, x)
		}
		return err
	}, "SELECT form, event, 0, 0, thrown, NULL, body FROM exemplar WHERE variant=? UNION ALL SELECT NULL, e.id, n.filing, n.keep_day, e.thrown, n.dictionary, n.body FROM newest_body n JOIN event e ON e.project=n.project AND e.filing=n.filing AND e.keep_day=n.keep_day WHERE n.variant=? AND n.filing<=?", v.id, v.id, w.position)
	if err != nil {
		return nil, r.n, err
	}
	err = r.addAll(ctx, few)
	return r.out, r.n, err
}

// partsReader sorts the kept bodies of a variant into the parts that the new way
// distinguishes.
type partsReader struct {
	w   *regrouping
	v   aVariant
	by  map[fingerprint.Key]*foundPart
	out []*foundPart // in the order in which they were found
	n   int          // bodies that were read
}

// keptBodies reads the bodies of a variant's events, a page at a time, and says of
// which events they are.
func (r *partsReader) keptBodies(ctx context.Context) (map[[16]byte]bool, error) {
	read := map[[16]byte]bool{}
	for at, full := int64(0), true; full; {
		var page []packedBody
		err := db.Each(ctx, r.w.s.db.Slow, func(r *sql.Rows) error {
			var x packedBody
			var id []byte
			if err := r.Scan(&id, &x.Position, &x.KeepDay, &x.thrown, &x.dictionary, &x.body); err != nil {
				return err
			}
			read[[16]byte(id)] = true
			page = append(page, x)
			return nil
		}, "SELECT e.id, e.filing, e.keep_day, e.thrown, b.dictionary, b.body FROM (SELECT id, project, filing, keep_day, thrown FROM event FORCE INDEX (by_variant) WHERE variant=? AND has_body=1 AND filing>? AND filing<=? ORDER BY filing LIMIT ?) e"+
			" JOIN event_body b ON b.project=e.project AND b.filing=e.filing AND b.keep_day=e.keep_day ORDER BY e.filing", r.v.id, at, r.w.position, readPage)
		if err != nil {
			return nil, err
		}
		if err := r.addAll(ctx, page); err != nil {
			return nil, err
		}
		if full = len(page) == readPage; full {
			at = page[len(page)-1].Position
		}
	}
	return read, nil
}

// addAll adds bodies to the parts that they are of. One that cannot be read stands
// in nobody's way; that the database is away ends the reading.
func (r *partsReader) addAll(ctx context.Context, list []packedBody) error {
	for _, x := range list {
		raw, err := r.w.s.events.UnpackBody(ctx, x.dictionary, x.body)
		if err != nil {
			return err
		}
		r.n++
		k, err := r.w.look(ctx, r.w.p.Project, raw)
		if _, away := errors.AsType[*pipeline.StoreError](err); away || ctx.Err() != nil {
			return errors.Join(err, ctx.Err())
		}
		if err != nil {
			continue
		}
		if err := r.add(x, k); err != nil {
			return err
		}
	}
	return nil
}

func (r *partsReader) add(x packedBody, k *pipeline.Kept) error {
	o := &regroup.Observed{Thrown: db.FromMicros(x.thrown), Looked: r.v.looked, Event: k.Event, Frames: k.Frames}
	plain := fingerprint.Key{}
	if r.v.looked {
		o.Looked = false
		before, _ := regroup.Print(r.w.p.Method(), o, nil)
		plain, o.Looked = before.Key, true
	}
	print, _ := regroup.Print(r.w.p.Method(), o, nil)
	f := r.by[print.Variant]
	if f == nil {
		raw, err := json.Marshal(print.Parts)
		if err != nil {
			return err
		}
		f = &foundPart{hash: print.Variant, print: print.Key, plain: plain, looked: print.Looked,
			provisional: print.Provisional, parts: event.TrimText(string(raw), 60_000), position: -1}
		if print.Ruling != nil {
			f.rule = print.Ruling.Rule
		}
		r.by[print.Variant], r.out = f, append(r.out, f)
	}
	if x.Position > f.position {
		s := ingest.ShownBy(print, k.Event)
		f.position, f.shown = x.Position, shownEvent{s.Headline, s.Place, s.Message, s.OriginFunction, s.OriginFile,
			s.OriginLine, s.Severity, s.Unhandled, x.Position, x.thrown}
	}
	if x.form != nil {
		f.forms = append(f.forms, x.form)
	} else {
		f.events = append(f.events, x.BodyKey)
	}
	return nil
}
