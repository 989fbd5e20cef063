package events

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"

	"github.com/klauspost/compress/s2"

	"firethorn/internal/cache"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
)

// Dictionary is an earlier body that later ones of its issue and week are
// compressed with: what repeats from event to event is stored once.
type Dictionary struct {
	ID    int64
	s2d   *s2.Dict
	bytes int
}

// Decode decompresses a body that was compressed with the dictionary.
func (d *Dictionary) Decode(body []byte) ([]byte, error) { return d.s2d.Decode(nil, body) }

// Encode compresses a body with the dictionary.
func (d *Dictionary) Encode(body []byte) []byte { return d.s2d.Encode(nil, body) }

const (
	dictionariesHeld = 64 << 20 // bytes: those of some 1,300 busy issues
	dictionaryTable  = 32 << 10 // bytes that a dictionary's table of hashes takes
	DictionaryBytes  = 64 << 10 // a larger body is compressed without one
	DictionaryAfter  = 4        // bodies an issue keeps before it gets one
)

// newDictionaries holds those used lately. An id never changes its content.
func newDictionaries() *cache.Cache[int64, *Dictionary] {
	return cache.New(dictionariesHeld, func(_ int64, d *Dictionary) int { return d.bytes })
}

// ForgetDictionaries empties the cache: dictionaries were erased.
func (s *Store) ForgetDictionaries() { s.dicts.Clear() }

// PackBody compresses a body, with a dictionary if there is one and it fits.
func PackBody(raw []byte, d *Dictionary) (dictionary any, body []byte) {
	if d == nil || len(raw) > DictionaryBytes {
		return nil, pipeline.Compress(raw)
	}
	return d.ID, d.Encode(raw)
}

// UnpackBody undoes packBody.
func (s *Store) UnpackBody(ctx context.Context, dictionary sql.NullInt64, body []byte) ([]byte, error) {
	if !dictionary.Valid {
		return pipeline.Decompress(body)
	}
	d, err := s.DictionaryByID(ctx, s.db, dictionary.Int64)
	if err != nil {
		return nil, err
	}
	return d.Decode(body)
}

// DictionaryByID gives a dictionary, from memory where it is held.
func (s *Store) DictionaryByID(ctx context.Context, q db.Querier, id int64) (*Dictionary, error) {
	found, err := s.Dictionaries(ctx, q, []int64{id})
	if err == nil && found[id] == nil {
		err = sql.ErrNoRows
	}
	if err != nil {
		return nil, fmt.Errorf("dictionary %d: %w", id, err)
	}
	return found[id], nil
}

// Dictionaries gives those of ids that are stored, by id: from memory where they are held, the
// others are read together.
func (s *Store) Dictionaries(ctx context.Context, q db.Querier, ids []int64) (map[int64]*Dictionary, error) {
	found := map[int64]*Dictionary{}
	var absent []any
	for _, id := range ids {
		if d, ok := s.dicts.Get(id); ok {
			found[id] = d
			continue
		}
		absent = append(absent, id)
	}
	for chunk := range slices.Chunk(absent, db.StatementRows) {
		err := db.Each(ctx, q, func(r *sql.Rows) error {
			var id int64
			var content []byte
			if err := r.Scan(&id, &content); err != nil {
				return err
			}
			d, err := loadDictionary(id, content)
			if err != nil {
				return err
			}
			s.dicts.Put(id, d)
			found[id] = d
			return nil
		}, "SELECT id, content FROM dictionary WHERE id IN ("+db.Marks(len(chunk))+")", chunk...)
		if err != nil {
			return nil, err
		}
	}
	return found, nil
}

func loadDictionary(id int64, packed []byte) (*Dictionary, error) {
	content, err := pipeline.Decompress(packed)
	if err != nil {
		return nil, err
	}
	d := s2.MakeDict(content, nil)
	if d == nil {
		return nil, fmt.Errorf("dictionary %d is too short", id)
	}
	return &Dictionary{id, d, len(content) + dictionaryTable}, nil
}

// Week is the week of a day.
func Week(day int) int64 { return int64(day / 7) }

// NewestEvery is how often a variant's newest body is written at most.
const NewestEvery = 10_000_000 // µs

// ErrNoBody says that an event's body was not kept.
var ErrNoBody = errors.New("the body was not kept")

// EventBody reads the body of an event, as Body.Pack wrote it: kept, or in the
// slot of the newest of its variant. Where there is none it is ErrNoBody.
func (s *Store) EventBody(ctx context.Context, e *EventRow) ([]byte, error) {
	var d sql.NullInt64
	var body []byte
	err := s.db.QueryRowContext(ctx, "SELECT dictionary, body FROM event_body WHERE project=? AND filing=? AND keep_day=?", e.project, e.Position, e.keepDay).Scan(&d, &body)
	if errors.Is(err, sql.ErrNoRows) {
		err = s.db.QueryRowContext(ctx, "SELECT dictionary, body FROM newest_body WHERE variant=? AND filing=?", e.variant, e.Position).Scan(&d, &body)
	}
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNoBody
	}
	if err != nil {
		return nil, fmt.Errorf("body of event %s: %w", e.ID, err)
	}
	return s.UnpackBody(ctx, d, body)
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
	body, err := s.NewestExemplar(ctx, e.variant)
	if err != nil {
		return nil, err
	}
	return pipeline.Decompress(body)
}

// NewestExemplar reads the newest exemplar of a variant, as it is stored;
// ErrNoBody when there is none.
func (s *Store) NewestExemplar(ctx context.Context, variant int64) (body []byte, err error) {
	err = s.db.QueryRowContext(ctx, "SELECT body FROM exemplar WHERE variant=? ORDER BY thrown DESC LIMIT 1", variant).Scan(&body)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNoBody
	}
	return body, err
}

// DropExemplar deletes an exemplar of a variant.
func DropExemplar(ctx context.Context, tx *sql.Tx, variant int64, form []byte) error {
	_, err := tx.ExecContext(ctx, "DELETE FROM exemplar WHERE variant=? AND form=?", variant, form)
	return err
}
