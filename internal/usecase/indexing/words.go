package indexing

import (
	"context"
	"database/sql"
	"errors"
	"maps"
	"slices"

	"firethorn/internal/core/query"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/events"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/ingest"
	"firethorn/internal/usecase/moves"
)

// issuesAtOnce is of how many issues words are noted in one step, and maxWords how many
// of one issue.
const (
	issuesAtOnce = 200
	maxWords     = 400
)

// Wordless lists the projects with issues whose words are not noted.
func (s *Service) Wordless(ctx context.Context) ([]int64, error) {
	return db.Numbers(ctx, s.db, "SELECT DISTINCT project FROM issue_list FORCE INDEX (wordless) WHERE worded=0")
}

// NoteWords notes the words that issues are found by.
func (s *Service) NoteWords(ctx context.Context, project int64) (more bool, err error) {
	var ids []int64
	err = s.db.InTxOf(ctx, s.db.Slow, func(tx *sql.Tx) error {
		if err := projects.Lock(ctx, tx, project); err != nil {
			return err
		}
		var err error
		ids, err = db.Numbers(ctx, tx, "SELECT issue FROM issue_list WHERE worded=0 AND project=? ORDER BY issue LIMIT ? FOR UPDATE", project, issuesAtOnce)
		if err != nil || len(ids) == 0 {
			return err
		}
		return writeWords(ctx, tx, project, ids)
	})
	return len(ids) == issuesAtOnce, err
}

// writeWords replaces the words of issues by those of their texts.
func writeWords(ctx context.Context, tx *sql.Tx, project int64, ids []int64) error {
	words := map[int64]map[string]bool{}
	err := issues.SearchTexts(ctx, tx, ids, func(id int64, text string) {
		if words[id] == nil {
			words[id] = map[string]bool{}
		}
		for _, w := range query.Words(text) {
			if len(words[id]) < maxWords {
				words[id][w] = true
			}
		}
	})
	if err != nil {
		return err
	}
	in, args := "("+db.Marks(len(ids))+")", db.AnyOf(ids)
	if _, err := tx.ExecContext(ctx, "DELETE FROM issue_word WHERE issue IN "+in, args...); err != nil {
		return err
	}
	var rows [][]any
	for _, id := range ids {
		for _, w := range slices.Sorted(maps.Keys(words[id])) {
			rows = append(rows, []any{project, w, id})
		}
	}
	if err := db.InsertRows(ctx, tx, "INSERT IGNORE INTO issue_word (project, word, issue)", "", rows); err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, "UPDATE issue_list SET worded=1 WHERE issue IN "+in, args...)
	return err
}

// Factless lists the projects with variants that lack the facts of their traces
// say.
func (s *Service) Factless(ctx context.Context) ([]int64, error) {
	return db.Numbers(ctx, s.db, "SELECT DISTINCT project FROM variant FORCE INDEX (factless) WHERE facts=0")
}

// factsAtOnce is of how many variants facts are noted in one step.
const factsAtOnce = 200

// NoteFacts notes what traces say, by the newest exemplar of each variant; of one
// without, what its issue shows.
func (s *Service) NoteFacts(ctx context.Context, p *projects.Project, units *pipeline.Units) (more bool, err error) {
	ids, err := db.Numbers(
		ctx,
		s.db.Slow,
		"SELECT id FROM variant WHERE facts=0 AND project=? ORDER BY id LIMIT ?",
		p.ID,
		factsAtOnce,
	)
	if err != nil || len(ids) == 0 {
		return false, err
	}
	read := moves.ReaderOf(p.Project, units)
	var list []issues.Fact
	for _, id := range ids {
		f, err := s.factOf(ctx, p.ID, id, read)
		if err != nil {
			return false, err
		}
		list = append(list, f)
	}
	return len(ids) == factsAtOnce, s.db.InTxOf(ctx, s.db.Slow, func(tx *sql.Tx) error {
		if err := projects.Lock(ctx, tx, p.ID); err != nil {
			return err
		}
		if err := issues.WriteFacts(ctx, tx, list); err != nil {
			return err
		}
		return issues.MembersChanged(ctx, tx, p.ID)
	})
}

func (s *Service) factOf(ctx context.Context, project, variant int64, read moves.Reader) (issues.Fact, error) {
	body, err := s.events.NewestExemplar(ctx, variant)
	if err == nil {
		if body, err = pipeline.Decompress(body); err == nil {
			x, err := read(ctx, body)
			if err == nil {
				return ingest.FactOf(variant, project, x.Print, x.Event), nil
			}
		}
	}
	if err != nil && !errors.Is(err, events.ErrNoBody) {
		s.db.Log.Warn("an exemplar cannot be read; its issue says what it shows", "variant", variant, "err", err)
	}
	f := issues.Fact{Variant: variant, Project: project}
	err = s.db.Slow.QueryRowContext(ctx, "SELECT l.message, l.origin_file, l.origin_function, l.headline, l.place FROM variant v JOIN issue_list l ON l.issue=v.issue WHERE v.id=?", variant).
		Scan(&f.Message, &f.File, &f.Function, &f.Headline, &f.Place)
	if errors.Is(err, sql.ErrNoRows) { // of a deleted issue
		err = nil
	}
	return f, err
}
