package ingest

import (
	"context"
	"maps"
	"slices"

	"firethorn/internal/core/attributes"
	"firethorn/internal/core/columns"
	"firethorn/internal/db"
	"firethorn/internal/pipeline"
	"firethorn/internal/store/inbox"
	"firethorn/internal/store/issues"
	"firethorn/internal/store/segments"
)

// writeFacts notes what the traces of new variants say.
func (w *batchTx) writeFacts(ctx context.Context) error {
	var list []issues.Fact
	for _, id := range slices.Sorted(maps.Keys(w.fresh)) {
		r := w.fresh[id]
		list = append(list, FactOf(id, w.Project.ID, r.Print, r.Event))
	}
	return issues.WriteFacts(ctx, w.tx, list)
}

// writeSegments puts the batch's events into the search index: a segment for each
// day of retention. What an older program wrote since is noted as missing.
func (w *batchTx) writeSegments(ctx context.Context) error {
	if w.indexed < w.before {
		if err := segments.AddGap(ctx, w.tx, w.Project.ID,
			segments.Gap{First: w.indexed + 1, Last: w.before, Until: db.Micros(w.now)}); err != nil {
			return err
		}
	}
	if err := w.numberUsers(ctx); err != nil {
		return err
	}
	if err := w.writeJoined(ctx); err != nil || len(w.rows) == 0 {
		return err
	}
	ids, err := w.internAttributes(ctx)
	if err != nil {
		return err
	}
	byDay := map[int][]columns.Row{}
	for _, r := range w.rows {
		byDay[r.keepDay] = append(byDay[r.keepDay], w.indexRow(r, ids))
	}
	for _, day := range slices.Sorted(maps.Keys(byDay)) {
		s := columns.Build(byDay[day])
		written := segments.Encode(w.s.codec, segments.MetaOf(day, 1, segments.Fresh, s), s)
		if err := segments.Write(ctx, w.tx, w.Project.ID, written); err != nil {
			return err
		}
	}
	return nil
}

// indexRow is an event as it is searched.
func (w *batchTx) indexRow(r *row, ids map[string]int64) columns.Row {
	f := columns.Facts{
		Release:     r.release,
		Environment: r.env,
		Severity:    string(r.Event.Severity),
		Handled:     r.Event.Handled,
	}
	if r.joined {
		f.Severity = r.severity
	}
	return columns.Row{
		Position: r.position,
		Time:     db.Micros(r.When.Thrown),
		Variant:  uint32(r.variant.ID),
		User:     r.number,
		Weight:   uint32(r.Event.StandsFor),
		Cells:    append(f.Cells(), segments.Cells(r.Attributes, ids)...),
	}
}

// internAttributes gives the columns of the batch's attributes. Those for which there
// is no place are counted.
func (w *batchTx) internAttributes(ctx context.Context) (map[string]int64, error) {
	var list []attributes.Named
	for _, r := range w.rows {
		if r.joined { // what the other reports added stands in the body alone
			k, err := pipeline.Open(r.Body)
			if err != nil {
				return nil, err
			}
			r.Attributes, r.severity = attributes.Of(k.Event), string(k.Event.Severity)
		}
		list = append(list, r.Attributes...)
	}
	ids, err := w.s.attributes.IDs(ctx, w.tx, w.Project.ID, list, &w.found)
	if err != nil {
		return nil, err
	}
	for _, r := range w.rows {
		for _, a := range r.Attributes {
			if ids[a.Name] == 0 {
				w.tally.Add(r.Received, inbox.CauseCapped, "attributes that are searched", 1)
				break
			}
		}
	}
	return ids, nil
}

// numberUsers gives the batch's users their numbers, and notes what else they are
// called.
func (w *batchTx) numberUsers(ctx context.Context) error {
	var users []int64
	for _, r := range w.rows {
		if r.HasUser {
			users = append(users, r.User)
		}
	}
	for _, u := range w.lateUsers {
		users = append(users, u.user)
	}
	if len(users) == 0 {
		return nil
	}
	numbers, _, err := segments.NumberUsers(ctx, w.tx, w.Project.ID, users, w.userNumbers)
	if err != nil {
		return err
	}
	for i := range w.lateUsers {
		w.lateUsers[i].number = numbers[w.lateUsers[i].user]
	}
	var called []segments.Called
	for _, r := range w.rows {
		r.number = numbers[r.User]
		for _, name := range r.Identities {
			if r.HasUser {
				called = append(called, segments.Called{Name: name, User: r.User})
			}
		}
	}
	w.called, err = w.s.identities.Add(ctx, w.tx, w.Project.ID, called)
	return err
}

// writeJoined puts into the index what later reports added to events that are processed:
// their users and attributes.
func (w *batchTx) writeJoined(ctx context.Context) error {
	var list []segments.Change
	for _, u := range w.lateUsers {
		if u.position == 0 {
			continue
		}
		number := u.number
		list = append(
			list,
			segments.Change{Position: u.position, KeepDay: int(u.keepDay), Patch: columns.Patch{User: &number}},
		)
	}
	for _, j := range w.joins {
		ids, err := w.s.attributes.IDs(ctx, w.tx, w.Project.ID, j.attributes, &w.found)
		if err != nil {
			return err
		}
		list = append(list, segments.Change{Position: j.position, KeepDay: int(j.keepDay),
			Patch: columns.Patch{
				Cells: append(columns.Facts{Severity: j.severity}.Cells(), segments.Cells(j.attributes, ids)...),
			}})
	}
	return segments.WriteChanges(ctx, w.tx, w.Project.ID, list)
}

// joinedTo is an event to which a later report added attributes.
type joinedTo struct {
	position, keepDay int64
	severity          string
	attributes        []attributes.Named
}

// noteJoined notes what a processed event's body says now.
func (w *batchTx) noteJoined(f *storedEvent, body []byte) error {
	k, err := pipeline.Open(body)
	if err == nil {
		w.joins = append(w.joins, joinedTo{f.position, f.keepDay, string(k.Event.Severity), attributes.Of(k.Event)})
	}
	return err
}
