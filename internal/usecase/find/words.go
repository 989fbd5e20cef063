package find

import (
	"context"
	"maps"
	"slices"

	"firethorn/internal/core/query"
	"firethorn/internal/db"
	"firethorn/internal/store/issues"
)

// withWord gives the issues that have a word, or a phrase, in headline, place, message
// or comments.
func (n *snapshot) withWord(ctx context.Context, w query.Word) (map[int64]bool, error) {
	want := query.Words(w.Text)
	if len(want) == 0 {
		return n.allIssues(), nil
	}
	out, err := n.noted(ctx, want)
	if err != nil {
		return nil, err
	}
	// Those whose words are not noted yet are looked at themselves.
	fresh, err := n.unworded(ctx)
	if err != nil {
		return nil, err
	}
	look := fresh
	for _, id := range fresh {
		delete(out, id)
	}
	if len(want) > 1 {
		for id := range out {
			look = append(look, id)
		}
		clear(out)
	}
	return out, n.look(ctx, look, w, out)
}

// unworded lists the issues whose words are not noted yet.
func (n *snapshot) unworded(ctx context.Context) ([]int64, error) {
	return db.Numbers(ctx, n.tx, "SELECT issue FROM issue_list WHERE worded=0 AND project=?", n.project)
}

// hasWord asks of each issue whether it has a word.
func (a *asked) hasWord(ctx context.Context, w query.Word) (condition, error) {
	out := oneOf(
		"SELECT 1 FROM issue_word w FORCE INDEX (of_issue) WHERE w.issue=l.issue AND w.project=l.project AND w.word LIKE ?",
		db.LikeEscape(query.Words(w.Text)[0])+"%")
	fresh, err := a.unworded(ctx)
	if err != nil || len(fresh) == 0 {
		return out, err
	}
	have := map[int64]bool{}
	if err := a.look(ctx, fresh, w, have); err != nil {
		return out, err
	}
	ids := append([]int64{0}, slices.Sorted(maps.Keys(have))...)
	return condition{"l.worded=1 AND " + out.sql + " OR l.issue IN (" + db.Marks(len(ids)) + ")", append(out.args,
		db.AnyOf(ids)...)}, nil
}

// enough is how few issues may be left of a phrase for their texts to be read instead of
// more words.
const enough = 3000

// noted gives the issues with noted words that may have a phrase: for one word
// all that have it. The longest word is asked for first, since it is the rarest, mostly.
func (n *snapshot) noted(ctx context.Context, want []string) (map[int64]bool, error) {
	order := make([]int, len(want))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int { return len(want[b]) - len(want[a]) })
	var out map[int64]bool
	for _, i := range order {
		if out != nil && len(out) <= enough {
			break
		}
		cond, arg := "word=?", want[i]
		if i == len(want)-1 {
			cond, arg = "word LIKE ?", db.LikeEscape(want[i])+"%"
		}
		ids, err := db.Numbers(ctx, n.tx, "SELECT issue FROM issue_word WHERE project=? AND "+cond, n.project, arg)
		if err != nil {
			return nil, err
		}
		next := make(map[int64]bool, len(ids))
		for _, id := range ids {
			if out == nil || out[id] {
				next[id] = true
			}
		}
		out = next
	}
	return out, nil
}

// look adds those issues whose texts have a word.
func (n *snapshot) look(ctx context.Context, ids []int64, w query.Word, out map[int64]bool) error {
	slices.Sort(ids)
	for chunk := range slices.Chunk(ids, db.StatementRows) {
		err := issues.SearchTexts(ctx, n.tx, chunk, func(id int64, text string) {
			if !out[id] && w.In(query.Words(text)) {
				out[id] = true
			}
		})
		if err != nil {
			return err
		}
	}
	return nil
}

func (n *snapshot) allIssues() map[int64]bool {
	out := make(map[int64]bool, len(n.members.Issue))
	for _, id := range n.members.Issue {
		out[id] = true
	}
	return out
}
