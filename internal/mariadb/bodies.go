package mariadb

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"sync"
	"time"

	"github.com/klauspost/compress/s2"

	"firethorn/internal/core/sampling"
	"firethorn/internal/pipeline"
)

// dictionary is an earlier body that later ones of its issue and week are
// compressed with: what repeats from event to event is stored once.
type dictionary struct {
	id  int64
	s2d *s2.Dict
}

// dictionaries holds those lately used. An id never changes its content.
type dictionaries struct {
	mu   sync.Mutex
	byID map[int64]*dictionary
}

const (
	dictionariesMost = 256
	dictionaryBytes  = 64 << 10 // a larger body is compressed without one
	dictionaryAfter  = 10       // bodies an issue keeps before it gets one
)

func newDictionaries() *dictionaries {
	return &dictionaries{byID: map[int64]*dictionary{}}
}

func (c *dictionaries) get(id int64) *dictionary {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.byID[id]
}

func (c *dictionaries) put(d *dictionary) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if len(c.byID) >= dictionariesMost {
		clear(c.byID)
	}
	c.byID[d.id] = d
}

// forget drops all: dictionaries were erased.
func (c *dictionaries) forget() {
	c.mu.Lock()
	defer c.mu.Unlock()
	clear(c.byID)
}

// packBody compresses a body, with a dictionary where there is one and it fits.
func packBody(raw []byte, d *dictionary) (dictionary any, body []byte) {
	if d == nil || len(raw) > dictionaryBytes {
		return nil, pipeline.Compress(raw)
	}
	return d.id, d.s2d.Encode(nil, raw)
}

// unpackBody undoes packBody.
func (s *Store) unpackBody(ctx context.Context, dictionary sql.NullInt64, body []byte) ([]byte, error) {
	if !dictionary.Valid {
		return pipeline.Decompress(body)
	}
	d, err := s.dictionaryByID(ctx, s.db, dictionary.Int64)
	if err != nil {
		return nil, err
	}
	return d.s2d.Decode(nil, body)
}

func (s *Store) dictionaryByID(ctx context.Context, q querier, id int64) (*dictionary, error) {
	if d := s.dicts.get(id); d != nil {
		return d, nil
	}
	var content []byte
	if err := q.QueryRowContext(ctx, "SELECT content FROM dictionary WHERE id=?", id).Scan(&content); err != nil {
		return nil, fmt.Errorf("dictionary %d: %w", id, err)
	}
	d, err := loadDictionary(id, content)
	if err == nil {
		s.dicts.put(d)
	}
	return d, err
}

func loadDictionary(id int64, packed []byte) (*dictionary, error) {
	content, err := pipeline.Decompress(packed)
	if err != nil {
		return nil, err
	}
	d := s2.MakeDict(content, nil)
	if d == nil {
		return nil, fmt.Errorf("dictionary %d is too short", id)
	}
	return &dictionary{id, d}, nil
}

// week is the week of a day.
func week(day int) int64 { return int64(day / 7) }

// loadDictionaries finds the dictionaries of the issues that have one this
// week. Which there are is asked each time, since one may have been erased;
// their contents are remembered.
func (w *filing) loadDictionaries(ctx context.Context) error {
	var ids []any
	for id, is := range w.issues {
		if is.bodies >= dictionaryAfter {
			ids = append(ids, id)
		}
	}
	if len(ids) == 0 {
		return nil
	}
	found := map[int64]int64{} // issue → dictionary
	err := each(ctx, w.tx, func(r *sql.Rows) error {
		var id, issue int64
		err := r.Scan(&id, &issue)
		found[issue] = id
		return err
	}, "SELECT id, issue FROM dictionary WHERE week=? AND issue IN ("+marks(len(ids))+")", append([]any{week(Day(w.now))}, ids...)...)
	if err != nil {
		return err
	}
	for issue, id := range found {
		if w.issues[issue].dictionary, err = w.s.dictionaryByID(ctx, w.tx, id); err != nil {
			return err
		}
	}
	return nil
}

// newDictionary makes a body the dictionary of its issue for this week; later
// transactions use it.
func (w *filing) newDictionary(ctx context.Context, r *row) error {
	content := pipeline.Dictionary(r.Body, dictionaryBytes)
	if len(content) < 64 {
		return nil
	}
	r.issue.dictionaryMade = true
	_, err := w.tx.ExecContext(ctx, "INSERT IGNORE INTO dictionary (project, issue, week, user, content) VALUES (?,?,?,?,?)", w.Project.ID, r.issue.id, week(Day(w.now)), nullUser(r.Item), pipeline.Compress(content))
	return err
}

// chooseBodies decides which bodies of the batch are kept.
func (w *filing) chooseBodies(ctx context.Context) error {
	firsts, err := w.bodyFirsts(ctx)
	if err != nil {
		return err
	}
	events := map[*issueRow]int64{}
	var fresh [][]any
	for _, r := range w.rows {
		is := r.issue
		f := sampling.Facts{ID: r.ID, Kept: is.bodies, Events: is.events + events[is]}
		if is.bodies >= sampling.Always && !is.standing.CountOnly {
			k := r.firstKey(w.now)
			if f.FirstOf = !firsts[k]; f.FirstOf {
				firsts[k] = true
				fresh = append(fresh, []any{k.a, k.b, k.c, k.d})
			}
		}
		events[is] += r.Event.StandsFor
		if r.kept = !is.standing.CountOnly && sampling.Keep(f) != sampling.None; r.kept {
			is.bodies++
			w.bodies[r.variant.id]++
		}
	}
	return w.upsert(ctx, "INSERT IGNORE INTO body_first (day, issue, app_release, environment)", "", fresh, 4)
}

// firstKey is what one body at least is kept of.
func (r *row) firstKey(now time.Time) key4 {
	return key4{int64(Day(now)), r.issue.id, r.release, r.env}
}

// bodyFirsts reads which of the batch's releases and environments have a body
// of today.
func (w *filing) bodyFirsts(ctx context.Context) (map[key4]bool, error) {
	asked, out := map[key4]bool{}, map[key4]bool{}
	byIssue := map[int64]bool{}
	for _, r := range w.rows {
		if k := r.firstKey(w.now); r.issue.bodies >= sampling.Always && !asked[k] {
			asked[k] = true
			byIssue[k.b] = true
		}
	}
	var groups []group
	for id := range byIssue {
		groups = append(groups, group{prefix: []int64{int64(Day(w.now))}, values: []int64{id}})
	}
	err := w.selectGroups(ctx, "SELECT day, issue, app_release, environment FROM body_first WHERE ", "day=? AND issue", "", groups, func(a, b, c, d int64) { out[key4{a, b, c, d}] = true })
	return out, err
}

// newestEvery is how often a variant's newest body is written at most.
const newestEvery = 10_000_000 // µs

// writeNewest writes the newest body that is not kept into the slot of its
// variant.
func (w *filing) writeNewest(ctx context.Context) error {
	newest := map[int64]*row{}
	for _, r := range w.rows {
		switch {
		case r.kept:
			delete(newest, r.variant.id) // a kept one is newer
		case !r.issue.standing.CountOnly:
			newest[r.variant.id] = r
		}
	}
	if len(newest) == 0 {
		return nil
	}
	var ids []any
	for id := range newest {
		ids = append(ids, id)
	}
	now := micros(w.now)
	err := each(ctx, w.tx, func(r *sql.Rows) error {
		var id, written int64
		err := r.Scan(&id, &written)
		if now-written < newestEvery && written <= now {
			delete(newest, id)
		}
		return err
	}, "SELECT variant, written FROM newest_body WHERE variant IN ("+marks(len(ids))+")", ids...)
	if err != nil {
		return err
	}
	var rows [][]any
	for id, r := range newest {
		d, body := packBody(r.Body, r.issue.dictionary)
		rows = append(rows, []any{id, w.Project.ID, r.filing, r.keepDay, now, d, body})
	}
	return w.upsert(ctx, "REPLACE INTO newest_body (variant, project, filing, keep_day, written, dictionary, body)", "", rows, 1)
}

// ErrNoBody says that an event's body was not kept.
var ErrNoBody = errors.New("the body was not kept")

// EventBody reads the body of an event, as Body.Pack wrote it: kept, or in the
// slot of the newest of its variant. Where there is none it is ErrNoBody.
func (s *Store) EventBody(ctx context.Context, e *EventRow) ([]byte, error) {
	var d sql.NullInt64
	var body []byte
	err := s.db.QueryRowContext(ctx, "SELECT dictionary, body FROM event_body WHERE project=? AND filing=? AND keep_day=?", e.project, e.Filing, e.keepDay).Scan(&d, &body)
	if errors.Is(err, sql.ErrNoRows) {
		err = s.db.QueryRowContext(ctx, "SELECT dictionary, body FROM newest_body WHERE variant=? AND filing=?", e.variant, e.Filing).Scan(&d, &body)
	}
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNoBody
	}
	if err != nil {
		return nil, fmt.Errorf("body of event %s: %w", e.ID, err)
	}
	return s.unpackBody(ctx, d, body)
}

// AnyBody is an event's own body where it was kept, else that of another event of
// its variant; ErrNoBody when there is none.
func (s *Store) AnyBody(ctx context.Context, e *EventRow) ([]byte, error) {
	body, err := s.EventBody(ctx, e)
	if errors.Is(err, ErrNoBody) {
		return s.Exemplar(ctx, e)
	}
	return body, err
}

// Exemplar reads the newest exemplar of an event's variant, for a trace where
// the event's own body was not kept; ErrNoBody when there is none.
func (s *Store) Exemplar(ctx context.Context, e *EventRow) ([]byte, error) {
	var body []byte
	err := s.db.QueryRowContext(ctx, "SELECT body FROM exemplar WHERE variant=? ORDER BY thrown DESC LIMIT 1", e.variant).Scan(&body)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNoBody
	}
	if err != nil {
		return nil, err
	}
	return pipeline.Decompress(body)
}
