package similar

import (
	"context"
	"database/sql"
	"encoding/json"
	"slices"

	"firethorn/internal/core/fingerprint"
	"firethorn/internal/core/likeness"
	"firethorn/internal/core/regroup"
	"firethorn/internal/core/review"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/projects"
	"firethorn/internal/usecase/moves"
)

const (
	sketchChunk   = 100 // variants of one step
	maxSketches   = 3   // of one variant
	maxTraitBytes = 100 // bytes of an attribute beside a sketch
)

// Sketching lists the projects with variants whose sketches are to be made.
func (s *Service) Sketching(ctx context.Context) ([]int64, error) {
	return db.Numbers(ctx, s.db, "SELECT DISTINCT project FROM variant WHERE sketched=0")
}

// sketched is a variant with what it is compared by.
type sketched struct {
	id         int64
	looked     bool
	exemplars  int
	sketches   []likeness.Sketch
	attributes []map[string]string
}

// Sketch makes the sketches of some variants of a project from the bodies that
// are kept of them for good; more says that there are more to make.
func (s *Service) Sketch(ctx context.Context, p *projects.Project, units *pipeline.Units) (more bool, err error) {
	var list []*sketched
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		v := &sketched{}
		err := r.Scan(&v.id, &v.looked, &v.exemplars)
		list = append(list, v)
		return err
	}, "SELECT id, looked, exemplars FROM variant WHERE sketched=0 AND project=? ORDER BY id LIMIT ?", p.ID, sketchChunk)
	if err != nil || len(list) == 0 {
		return false, err
	}
	for _, v := range list {
		if err := s.sketch(ctx, p, v, units); err != nil {
			return false, err
		}
	}
	err = s.db.InTx(ctx, func(tx *sql.Tx) error { return writeSketches(ctx, tx, p.ID, list) })
	return len(list) == sketchChunk, err
}

func (s *Service) sketch(ctx context.Context, p *projects.Project, v *sketched, units *pipeline.Units) error {
	var bodies [][]byte
	err := db.Each(ctx, s.db, func(r *sql.Rows) error {
		var packed []byte
		err := r.Scan(&packed)
		bodies = append(bodies, packed)
		return err
	}, "SELECT body FROM exemplar WHERE variant=? ORDER BY thrown DESC", v.id)
	if err != nil {
		return err
	}
	for _, packed := range bodies {
		raw, err := pipeline.Decompress(packed)
		if err != nil {
			continue // one that is not as it was written tells nothing
		}
		k, err := pipeline.Observe(ctx, p.Project, raw, units)
		if err != nil && ctx.Err() != nil {
			return err
		}
		if err != nil {
			continue
		}
		regroup.Print(p.Method(),
			&regroup.Observed{Looked: v.looked, Thrown: moves.ThrownOf(k.Event), Event: k.Event, Frames: k.Frames},
			nil) // it marks the frames
		x := likeness.Of(k.Event, k.Frames, fingerprint.OwnKey(k.Event))
		if len(v.sketches) == maxSketches || slices.ContainsFunc(v.sketches, func(y likeness.Sketch) bool {
			return x.Type == y.Type && x.Message == y.Message && slices.Equal(x.Own, y.Own)
		}) {
			continue
		}
		attributes := map[string]string{}
		for _, name := range review.TargetAttributes {
			if t := k.Event.Attributes.Text(name); t != "" && len(t) <= maxTraitBytes {
				attributes[name] = t
			}
		}
		v.sketches, v.attributes = append(v.sketches, x), append(v.attributes, attributes)
	}
	return nil
}

func writeSketches(ctx context.Context, tx *sql.Tx, project int64, list []*sketched) error {
	ids := make([]any, len(list))
	for i, v := range list {
		ids[i] = v.id
	}
	in := " IN (" + db.Marks(len(ids)) + ")"
	for _, q := range []string{
		"UPDATE sketch_count c JOIN (SELECT feature, COUNT(*) n FROM sketch_feature WHERE variant" + in + " GROUP BY feature) f ON f.feature=c.feature SET c.variants=IF(c.variants>f.n, c.variants-f.n, 0) WHERE c.project=?",
		"DELETE FROM sketch_feature WHERE variant" + in,
		"DELETE FROM sketch WHERE variant" + in,
	} {
		args := ids
		if q[0] == 'U' {
			args = append(slices.Clone(ids), project)
		}
		if _, err := tx.ExecContext(ctx, q, args...); err != nil {
			return err
		}
	}
	var sketches, features, counts [][]any
	count := map[int64]int{}
	for _, v := range list {
		seen := map[int64]bool{}
		for n, x := range v.sketches {
			body, err := json.Marshal(x)
			if err != nil {
				return err
			}
			attributes, err := json.Marshal(v.attributes[n])
			if err != nil {
				return err
			}
			sketches = append(sketches, []any{v.id, n, string(body), string(attributes)})
			for _, f := range x.Features() {
				if !seen[f] {
					seen[f] = true
					features = append(features, []any{project, f, v.id})
					count[f]++
				}
			}
		}
	}
	for f, n := range count {
		counts = append(counts, []any{project, f, n})
	}
	db.SortRows(counts, 2)
	db.SortRows(features, 3)
	if err := db.InsertRows(ctx, tx, "INSERT INTO sketch (variant, n, body, attributes)", "", sketches); err != nil {
		return err
	}
	if err := db.InsertRows(ctx, tx, "INSERT IGNORE INTO sketch_feature (project, feature, variant)", "", features); err != nil {
		return err
	}
	if err := db.InsertRows(ctx, tx, "INSERT INTO sketch_count (project, feature, variants)", " ON DUPLICATE KEY UPDATE variants=variants+VALUES(variants)", counts); err != nil {
		return err
	}
	// One that got another body meanwhile is sketched once more.
	for _, v := range list {
		if _, err := tx.ExecContext(ctx, "UPDATE variant SET sketched=1 WHERE id=? AND exemplars=?", v.id,
			v.exemplars); err != nil {
			return err
		}
	}
	return nil
}
