package similar

import (
	"cmp"
	"context"
	"database/sql"
	"encoding/json"
	"math"
	"slices"

	"firethorn/internal/core/issue"
	"firethorn/internal/core/likeness"
	"firethorn/internal/db"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/projects"
	"firethorn/internal/store/sight"
)

// Similar is an issue that is like another one.
type Similar struct {
	issues.Issue
	Score   float64
	Reasons []string
}

const (
	ownVariants  = 10    // of the issue asked about, the largest
	rareFeatures = 24    // that others are looked for by, the rarest
	maxPostings  = 1_000 // variants that are counted at most
	maxCompared  = 60    // variants that are compared in full
	leastSimilar = 0.35
	maxSimilar   = 10
)

// sketchesOf reads the sketches of variants.
func (s *Service) sketchesOf(ctx context.Context, where string, args ...any) (map[int64][]likeness.Sketch, error) {
	out := map[int64][]likeness.Sketch{}
	return out, db.Each(ctx, s.db, func(r *sql.Rows) error {
		var id int64
		var body []byte
		if err := r.Scan(&id, &body); err != nil {
			return err
		}
		var x likeness.Sketch
		if err := json.Unmarshal(body, &x); err != nil {
			return err
		}
		out[id] = append(out[id], x)
		return nil
	}, "SELECT s.variant, s.body FROM sketch s WHERE s.variant "+where, args...)
}

// Similar finds the issues of a project that are most like an issue, by what
// its largest variants look like. Candidates are those that share the rarest
// of what it has; they are compared in full.
func (s *Service) Similar(ctx context.Context, project *projects.Project, id int64) ([]Similar, error) {
	own, err := s.sketchesOf(ctx, "IN (SELECT id FROM (SELECT id FROM variant WHERE issue=? ORDER BY events DESC LIMIT ?) v)", id, ownVariants)
	if err != nil || len(own) == 0 {
		return nil, err
	}
	candidates, err := s.sharing(ctx, project.ID, id, own)
	if err != nil || len(candidates) == 0 {
		return nil, err
	}
	var ids []any
	for v := range candidates {
		ids = append(ids, v)
	}
	theirs, err := s.sketchesOf(ctx, "IN ("+db.Marks(len(ids))+")", ids...)
	if err != nil {
		return nil, err
	}
	best := map[int64]Similar{}
	for v, sketches := range theirs {
		at := candidates[v]
		for _, b := range sketches {
			for _, list := range own {
				for _, a := range list {
					if l := likeness.Compare(a, b); l.Score >= leastSimilar && l.Score > best[at].Score {
						best[at] = Similar{Score: l.Score, Reasons: l.Reasons}
					}
				}
			}
		}
	}
	return s.named(ctx, best)
}

// named reads the issues that were found, the most alike first.
func (s *Service) named(ctx context.Context, best map[int64]Similar) ([]Similar, error) {
	type hit struct {
		issue int64
		score float64
	}
	var order []hit
	for id, x := range best {
		order = append(order, hit{id, x.Score})
	}
	slices.SortFunc(order, func(a, b hit) int {
		return cmp.Or(cmp.Compare(b.score, a.score), cmp.Compare(a.issue, b.issue))
	})
	order = order[:min(len(order), maxSimilar)]
	if len(order) == 0 {
		return nil, nil
	}
	var ids []any
	for _, f := range order {
		ids = append(ids, f.issue)
	}
	found, err := s.issues.IssuesByID(ctx, ids)
	var out []Similar
	for _, f := range order {
		if is := found[f.issue]; is != nil {
			x := best[f.issue]
			x.Issue = *is
			out = append(out, x)
		}
	}
	return out, err
}

// sharing finds variants of other issues that share the rarest features, and
// their issues.
func (s *Service) sharing(ctx context.Context, project, id int64,
	own map[int64][]likeness.Sketch) (map[int64]int64, error) {
	features := map[int64]bool{}
	for _, list := range own {
		for _, x := range list {
			for _, f := range x.Features() {
				features[f] = true
			}
		}
	}
	var args []any
	for f := range features {
		args = append(args, f)
	}
	type rare struct{ feature, variants int64 }
	var counts []rare
	for chunk := range slices.Chunk(args, db.StatementRows) {
		err := db.Each(ctx, s.db, func(r *sql.Rows) error {
			var x rare
			err := r.Scan(&x.feature, &x.variants)
			counts = append(counts, x)
			return err
		}, "SELECT feature, variants FROM sketch_count WHERE project=? AND feature IN ("+db.Marks(len(chunk))+")", append([]any{project}, chunk...)...)
		if err != nil {
			return nil, err
		}
	}
	slices.SortFunc(counts, func(a, b rare) int {
		return cmp.Or(cmp.Compare(a.variants, b.variants), cmp.Compare(a.feature, b.feature))
	})
	weight, total := map[int64]float64{}, int64(0)
	for _, c := range counts[:min(len(counts), rareFeatures)] {
		if total += c.variants; total > maxPostings && len(weight) > 0 {
			break
		}
		weight[c.feature] = 1 / math.Log2(2+float64(c.variants))
	}
	score := map[int64]float64{}
	rarest := []any{project}
	for f := range weight {
		rarest = append(rarest, f)
	}
	err := db.Each(ctx, s.db, func(r *sql.Rows) error {
		var v, f int64
		err := r.Scan(&v, &f)
		score[v] += weight[f]
		return err
	}, "SELECT variant, feature FROM sketch_feature WHERE project=? AND feature IN ("+db.Marks(len(weight))+") LIMIT ?", append(rarest, 2*maxPostings)...)
	if err != nil {
		return nil, err
	}
	var ids []int64
	for v := range score {
		if own[v] == nil {
			ids = append(ids, v)
		}
	}
	slices.SortFunc(ids, func(a, b int64) int { return cmp.Or(cmp.Compare(score[b], score[a]), cmp.Compare(a, b)) })
	ids = ids[:min(len(ids), maxCompared)]
	out := map[int64]int64{}
	if len(ids) == 0 {
		return out, nil
	}
	return out, db.Each(ctx, s.db, func(r *sql.Rows) error {
		var v, at int64
		err := r.Scan(&v, &at)
		if at != id {
			out[v] = at
		}
		return err
	}, "SELECT v.id, v.issue FROM variant v JOIN issue_list l ON l.issue=v.issue WHERE v.id IN ("+db.Marks(len(ids))+")", db.AnyOf(ids)...)
}

// Elsewhere is an issue of another project that one of the issue's fingerprints
// leads to.
type Elsewhere struct {
	Project string
	Number  int64
	Head    string
	State   issue.State
	Events  int64
	Users   int64
}

// Elsewhere finds the issues of other projects, of those that a person sees, that
// have a fingerprint of an issue.
func (s *Service) Elsewhere(ctx context.Context, id int64, seen sight.Sight) (list []Elsewhere, err error) {
	where, args := seen.Where("i.project")
	err = db.Each(ctx, s.db, func(r *sql.Rows) error {
		var x Elsewhere
		err := r.Scan(&x.Project, &x.Number, &x.Head, &x.State, &x.Events, &x.Users)
		list = append(list, x)
		return err
	}, "SELECT STRAIGHT_JOIN p.name, i.number, l.headline, l.state, l.events, l.users FROM (SELECT DISTINCT b.issue FROM alias a JOIN alias b ON b.hash=a.hash AND b.grouping_version=a.grouping_version AND b.project<>a.project WHERE a.issue=?) k"+
		" JOIN issue i ON i.id=k.issue JOIN project p ON p.id=i.project JOIN issue_list l ON l.issue=i.id WHERE "+where+" ORDER BY l.events DESC LIMIT 20", append([]any{id}, args...)...)
	return list, err
}
